import { csvFormatRows } from 'd3';
import { saveText } from './save-text';

/** What a spreadsheet would take for a formula is kept a text. */
const inert = (text: string): string => (/^[=+\-@\t\r]/.test(text) ? `'${text}` : text);

/** Rows as CSV (RFC 4180) in which nothing runs, whoever gave things their names. */
export const csvText = (rows: readonly (readonly string[])[]): string => csvFormatRows(rows.map((row) => row.map(inert)));

/** Gives rows to the browser to keep as a file. */
export const saveCsv = (name: string, rows: readonly (readonly string[])[]): void => saveText(name, csvText(rows), 'text/csv');
