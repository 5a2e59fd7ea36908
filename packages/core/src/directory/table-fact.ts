import { isRecord } from '../util/json-pointer.js';
import { blankAtEnds, unseenIn } from '../util/unseen.js';

/**
 * Bounds of tables: how many there are, characters of one as JSON, its rows and columns, characters of names. Keys and values
 * are texts.
 */
export const TABLE_BOUNDS = { tables: 50, characters: 1_048_576, rows: 20_000, columns: 30, name: 40 } as const;

/** A small table of facts that an operator maintains and conditions look at, as `resource.NAME["key"].column`. */
export interface TableFact {
  /** Its name, as conditions call it. */
  readonly id: string;
  /** The column by whose values rows are found; each value stands once. */
  readonly key: string;
  readonly columns: readonly string[];
  /** Texts in the order of the columns. */
  readonly rows: readonly (readonly string[])[];
}

/** Rows of a table by the value of their key, each by the names of its columns. */
export type TableRows = ReadonlyMap<string, ReadonlyMap<string, string>>;

const NAME = /^[A-Za-z_][A-Za-z0-9_]*$/;
/** Words that mean something else in a condition (Common Expression Language, "Syntax"). */
const RESERVED: ReadonlySet<string> = new Set(
  'as break const continue else false for function if import in let loop package namespace null return true var void while'.split(' '),
);

/** Whether tables and columns can be called so in a condition. */
export const isTableName = (name: string): boolean => name.length <= TABLE_BOUNDS.name && NAME.test(name) && !RESERVED.has(name);

/** What is wrong with a table, and where; null when nothing is. */
export function faultOfTable({ id, key, columns, rows }: TableFact): { readonly pointer: string; readonly says: string } | null {
  const naming = `begins with a letter and has at most ${TABLE_BOUNDS.name} letters, digits and underscores`;
  if (!isTableName(id)) return { pointer: '/name', says: `a name ${naming}` };
  if (columns.length === 0) return { pointer: '/columns', says: 'a table has at least one column' };
  if (columns.length > TABLE_BOUNDS.columns) return { pointer: '/columns', says: `a table has at most ${TABLE_BOUNDS.columns} columns` };
  for (const [index, column] of columns.entries()) {
    if (!isTableName(column))
      return { pointer: `/columns/${index}`, says: `${column === '' ? 'the name of a column' : JSON.stringify(column.slice(0, 60))}: a name ${naming}` };
    if (columns.indexOf(column) !== index) return { pointer: `/columns/${index}`, says: `two columns are called ${column}` };
  }
  const at = columns.indexOf(key);
  if (at < 0) return { pointer: '/key', says: 'the key is one of the columns' };
  if (rows.length > TABLE_BOUNDS.rows) return { pointer: '/rows', says: `a table has at most ${TABLE_BOUNDS.rows} rows` };
  const seen = new Set<string>();
  for (const [index, row] of rows.entries()) {
    if (row.length !== columns.length) return { pointer: `/rows/${index}`, says: `row ${index + 1} has ${row.length} values for ${columns.length} columns` };
    const value = row[at] ?? '';
    if (value === '') return { pointer: `/rows/${index}`, says: `row ${index + 1} has no ${key}` };
    if (seen.has(value))
      return { pointer: `/rows/${index}`, says: `${key} ${JSON.stringify(value.slice(0, 60))} stands twice, the second time in row ${index + 1}` };
    seen.add(value);
  }
  let characters = 0;
  for (const row of [columns, ...rows]) for (const value of row) characters += value.length + 3;
  return characters > TABLE_BOUNDS.characters
    ? { pointer: '/rows', says: `a table has at most ${TABLE_BOUNDS.characters} characters; this has ${characters}` }
    : null;
}

/**
 * The same of a table that is set now, and values that look like others and are not: a gate that is locked out under a name with a
 * blank at its end is not locked out. Tables of before stay as they are.
 */
export function faultOfNewTable(table: TableFact): { readonly pointer: string; readonly says: string } | null {
  const fault = faultOfTable(table);
  if (fault) return fault;
  const { key, columns, rows } = table;
  for (const [index, row] of rows.entries())
    for (const [at, value] of row.entries()) {
      const unseen = columns[at] === key ? unseenIn(value) : blankAtEnds(value);
      if (unseen !== null)
        return { pointer: `/rows/${index}`, says: `${columns[at] ?? ''} ${JSON.stringify(value.slice(0, 60))} of row ${index + 1} has ${unseen}` };
    }
  return null;
}

/** Reads a table; null for what has not the form of one, or breaks a bound. */
export function readTable(value: unknown): TableFact | null {
  if (!isRecord(value)) return null;
  const { id, key, columns, rows } = value;
  if (typeof id !== 'string' || typeof key !== 'string' || !isTexts(columns) || !Array.isArray(rows) || !rows.every(isTexts)) return null;
  const fact: TableFact = { id, key, columns, rows };
  return faultOfTable(fact) === null ? fact : null;
}

const isTexts = (value: unknown): value is string[] => Array.isArray(value) && value.every((item) => typeof item === 'string');

/** The rows as conditions look them up. */
export function rowsOf({ key, columns, rows }: TableFact): TableRows {
  const at = columns.indexOf(key);
  return new Map(rows.map((row) => [row[at] ?? '', new Map(columns.map((column, index) => [column, row[index] ?? '']))]));
}
