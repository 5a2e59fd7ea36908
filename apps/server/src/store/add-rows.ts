import type { Transaction } from 'sequelize';
import type { Store } from './store.js';

/** A value of a row. */
export type Cell = string | number | null;

/** The beginning of a statement that takes any number of rows at one time, as `addRows` gives them; what conflicts may follow. */
export const insertRows = (table: string, columns: readonly string[]): string =>
  `INSERT INTO ${table} (${columns.join(', ')}) SELECT ${columns.map((_, at) => `json_extract(value, '$[${at}]')`).join(', ')} FROM json_each($rows) WHERE true`;

/** Runs a statement that begins with `insertRows`: one for all rows, since each costs more than what it writes. */
export async function addRows(store: Store, statement: string, rows: readonly (readonly Cell[])[], transaction: Transaction): Promise<void> {
  if (rows.length > 0) await store.sequelize.query(statement, { bind: { rows: JSON.stringify(rows) }, transaction });
}
