import { faultOfNewTable } from '@virga/core';
import type { AttentionItem } from '@virga/protocol';
import { TableRow } from '../../store/models/tables.js';
import { tableFact } from '../../store/table-store.js';

/** Tables that stand and could not be set so today: keys in which something is not seen keep nobody out whom they seem to. */
export class OddTables {
  /** What is wrong with each as it stood when it was looked at; null for nothing. */
  #known = new Map<string, { readonly changedAt: number; readonly says: string | null }>();

  /** Reads only those that have changed since the last time. */
  async items(): Promise<AttentionItem[]> {
    const rows = await TableRow.findAll({ attributes: ['name', 'changedAt'], order: [['name', 'ASC']], raw: true });
    const found = new Map<string, { readonly changedAt: number; readonly says: string | null }>();
    for (const { name, changedAt } of rows) {
      const before = this.#known.get(name);
      if (before?.changedAt === Number(changedAt)) found.set(name, before);
      else {
        const row = await TableRow.findByPk(name, { raw: true });
        if (row) found.set(name, { changedAt: Number(row.changedAt), says: whatIsOdd(row) });
      }
    }
    this.#known = found;
    return [...found].flatMap(([name, { says }]): AttentionItem[] =>
      says === null
        ? []
        : [
            {
              mark: 'would-refuse',
              title: `The table ${name} has a value that is not what it looks like`,
              detail: `${says}. What is asked for without it is not found. Open the table and mend it.`,
              link: `/tables?name=${encodeURIComponent(name)}`,
            },
          ],
    );
  }
}

function whatIsOdd(row: TableRow): string | null {
  try {
    return faultOfNewTable(tableFact(row))?.says ?? null;
  } catch {
    return 'it cannot be read';
  }
}
