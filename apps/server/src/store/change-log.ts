import { canonicalJson, type DirectoryChange, type DocumentChange } from '@virga/core';
import { createHash } from 'node:crypto';
import type { Transaction } from 'sequelize';
import { DraftChangeRow } from './models/changes.js';

/** One edit before it is written down. */
export interface Edit {
  readonly at: number;
  readonly by: string;
  readonly words: readonly string[];
  readonly before: string;
  readonly after: string;
  readonly changes: readonly DocumentChange[] | readonly DirectoryChange[];
  readonly takesBack: number | null;
  /** The client that it changed; null for an edit of the draft. */
  readonly clientId: string | null;
}

/** What stands before the first edit, and for the hash of what is not there. */
export const BEGINNING = '0'.repeat(64);

/** Lines of words that are kept of one edit. */
const MAX_WORDS = 40;

/** Hash of an edit and of all before it: a row that is changed, left out or moved breaks every one behind it. */
function hashOfRow(
  previous: string,
  row: Pick<DraftChangeRow, 'number' | 'at' | 'by' | 'words' | 'before' | 'after' | 'changes' | 'takesBack' | 'clientId'>,
): string {
  const { number, at, by, words, before, after, changes, takesBack, clientId } = row;
  // Rows of before there were edits of clients have no such member in their hash.
  const about = clientId === null ? [] : [clientId];
  return createHash('sha256')
    .update(canonicalJson([previous, number, Number(at), by, words, before, after, changes, takesBack, ...about]))
    .digest('hex');
}

/** Appends an edit to the log. */
export async function appendEdit(edit: Edit, transaction: Transaction): Promise<void> {
  const last = await DraftChangeRow.findOne({ attributes: ['number', 'hash'], order: [['number', 'DESC']], raw: true, transaction });
  // One line each, whatever line breaks a name has: nobody writes a line of his own into the log.
  const words = edit.words.slice(0, MAX_WORDS).map((line) => line.replace(/\s+/g, ' '));
  if (edit.words.length > MAX_WORDS) words.push(`and ${edit.words.length - MAX_WORDS} more`);
  const row = {
    number: (last?.number ?? 0) + 1,
    at: edit.at,
    by: edit.by,
    words: words.join('\n'),
    before: edit.before,
    after: edit.after,
    changes: JSON.stringify(edit.changes),
    takesBack: edit.takesBack,
    clientId: edit.clientId,
  };
  await DraftChangeRow.create({ ...row, hash: hashOfRow(last?.hash ?? BEGINNING, row) }, { transaction });
}

/** Edits, newest first, and the number of the first among them at which the chain is broken; null when it holds. */
export async function readEdits(before: number | undefined, limit: number): Promise<{ rows: DraftChangeRow[]; brokenAt: number | null; more: boolean }> {
  const rows = await DraftChangeRow.findAll({
    ...(before === undefined ? {} : { where: { number: numbersBelow(before, limit + 1) } }),
    order: [['number', 'DESC']],
    limit: limit + 1,
    raw: true,
  });
  const shown = rows.slice(0, limit);
  const broken = shown.filter(
    (row, index) => row.hash !== hashOfRow(rows[index + 1]?.hash ?? BEGINNING, row) || (rows[index + 1]?.number ?? 0) !== row.number - 1,
  );
  return { rows: shown, brokenAt: broken[broken.length - 1]?.number ?? null, more: rows.length > limit };
}

/** The numbers that a page can have: edits are numbered without a gap. */
const numbersBelow = (before: number, count: number): number[] =>
  Array.from({ length: Math.max(0, Math.min(count, before - 1)) }, (_, index) => before - 1 - index);

export const findEdit = (number: number): Promise<DraftChangeRow | null> => DraftChangeRow.findByPk(number, { raw: true });
