import type { DirectoryChange, TableFact } from '@virga/core';
import { TableRow } from './models/tables.js';

/** A table as decisions look at it. */
export const tableFact = ({ name, keyColumn, columns, rows }: TableRow): TableFact => ({
  id: name,
  key: keyColumn,
  columns: JSON.parse(columns) as string[],
  rows: JSON.parse(rows) as string[][],
});

/** All tables as changes, one at a time: each may be large. */
export async function* tablePages(): AsyncGenerator<DirectoryChange[]> {
  const names = await TableRow.findAll({ attributes: ['name'], order: [['name', 'ASC']], raw: true });
  for (const { name } of names) {
    const row = await TableRow.findByPk(name, { raw: true });
    if (row) yield [{ what: 'table', id: name, value: tableFact(row) }];
  }
}

/** Columns of all tables by their names. */
export async function tableColumns(): Promise<Record<string, string[]>> {
  const rows = await TableRow.findAll({ attributes: ['name', 'columns'], order: [['name', 'ASC']], raw: true });
  return Object.fromEntries(rows.map(({ name, columns }) => [name, JSON.parse(columns) as string[]]));
}
