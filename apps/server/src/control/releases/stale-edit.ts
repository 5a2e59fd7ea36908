import type { HttpException } from '@nestjs/common';
import { canonicalJson, isRecord, pointerOf, revertChanges, type DocumentChange, type ReleaseDocument } from '@virga/core';
import type { FieldProblem, PartVersion } from '@virga/protocol';
import { problem } from '../../http/problems.js';
import { readEdits } from '../../store/change-log.js';
import { partOf, revisionOf, type DraftPart } from './draft-part.js';

/** Edits that are gone back through to find what an edit began from. */
const MAX_BACK = 200;
const PAGE = 50;
const MAX_DIFFERENCES = 20;

/** Why an edit is refused whose part is not any more what it began from, with both versions; null when it is. */
export async function staleProblem(document: ReleaseDocument, part: DraftPart, ifMatch: string): Promise<HttpException | null> {
  const now = partOf(document, part);
  const revision = now && revisionOf(now);
  if (revision === ifMatch) return null;
  const began = await partAt(document, part, ifMatch);
  const versions = {
    began: { revision: ifMatch, content: began } as PartVersion,
    now: { revision, content: now } as PartVersion,
  };
  const errors = [
    { pointer: '', detail: `yours began from revision ${ifMatch}, there now is ${revision ?? 'nothing'}` },
    ...(began && now ? differences(began, now).slice(0, MAX_DIFFERENCES) : []),
  ];
  const detail = 'It is not any more what you began from. Look at what is there now, then set yours over it if it is still right.';
  return problem(412, 'Somebody changed it meanwhile', detail, errors, versions);
}

/** A part as it was at a revision, by taking edits back from what there is now; null where the log does not lead there. */
async function partAt(document: ReleaseDocument, part: DraftPart, revision: string): Promise<ReturnType<typeof partOf>> {
  let at = document;
  let before: number | undefined;
  for (let back = 0; back < MAX_BACK; back += PAGE) {
    const { rows, more } = await readEdits(before, PAGE);
    for (const row of rows) {
      if (row.clientId !== null) continue;
      const reverted = revertChanges(at, JSON.parse(row.changes) as DocumentChange[]);
      if ('conflict' in reverted) return null;
      at = reverted.document;
      const found = partOf(at, part);
      if (found && revisionOf(found) === revision) return found;
    }
    before = rows[rows.length - 1]?.number;
    if (!more) break;
  }
  return null;
}

/** What is not the same in two versions of a part, member by member, as deep as there are members; of operations, which. */
function differences(was: unknown, is: unknown, at = ''): FieldProblem[] {
  if (canonicalJson(was ?? null) === canonicalJson(is ?? null)) return [];
  if (at === '/operations') return [{ pointer: at, detail: operationsChanged(was, is) }];
  if (!isRecord(was) || !isRecord(is)) return [{ pointer: at, detail: `was ${short(was)}, is now ${short(is)}` }];
  const members = [...new Set([...Object.keys(was), ...Object.keys(is)])];
  return members.flatMap((member) => differences(was[member], is[member], at + pointerOf(member)));
}

function operationsChanged(was: unknown, is: unknown): string {
  const byId = (list: unknown) => new Map((list as { readonly id: string }[]).map((item) => [item.id, canonicalJson(item)]));
  const [old, fresh] = [byId(was), byId(is)];
  const changed = [...new Set([...old.keys(), ...fresh.keys()])].filter((id) => old.get(id) !== fresh.get(id));
  if (changed.length === 0) return 'operations stand in another order';
  return `operations changed: ${changed.slice(0, 8).join(', ')}${changed.length > 8 ? ` and ${changed.length - 8} more` : ''}`;
}

function short(value: unknown): string {
  if (value === undefined) return 'not there';
  const text = JSON.stringify(value);
  return text.length <= 160 ? text : `${text.slice(0, 160)}…`;
}
