import { canonicalJson } from '@virga/core';
import { createHash } from 'node:crypto';

/** A provider or an API of the draft. */
export interface DraftPart {
  readonly kind: 'providers' | 'apis';
  readonly id: string;
}

const REVISIONS = new WeakMap<object, string>();

/** The revision of a part: a hash of what it holds, made once for each. */
export function revisionOf(part: object): string {
  let revision = REVISIONS.get(part);
  if (revision === undefined) REVISIONS.set(part, (revision = createHash('sha256').update(canonicalJson(part)).digest('hex').slice(0, 20)));
  return revision;
}
