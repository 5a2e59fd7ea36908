import type { JsonObject } from '../token/read-token.js';
import { holdsRounded, ROUNDED } from '../util/is-rounded.js';
import { isRecord } from '../util/json-pointer.js';

/** Bounds of what is said of a client: bytes of its JSON in UTF-8, values inside each other, members of one object. */
export const METADATA_BOUNDS = { bytes: 4096, depth: 6, members: 100 } as const;

export const NO_METADATA: JsonObject = Object.freeze({});

/** Names that mean something else to some readers of objects. */
const RESERVED: ReadonlySet<string> = new Set(['__proto__', 'constructor', 'prototype']);

/** What is wrong with metadata of a client, in words; null when nothing is. */
export function faultOfMetadata(value: unknown): string | null {
  if (!isRecord(value)) return 'metadata is one JSON object';
  const fault = faultIn(value, 1);
  if (fault !== null) return fault;
  const bytes = new TextEncoder().encode(JSON.stringify(value)).length;
  return bytes > METADATA_BOUNDS.bytes ? `metadata has at most ${METADATA_BOUNDS.bytes} bytes as JSON; this has ${bytes}` : null;
}

/** The same of metadata that somebody sets now: what was kept before is left as it is, however its numbers were read. */
export const faultOfNewMetadata = (value: unknown): string | null =>
  faultOfMetadata(value) ?? (holdsRounded(value) ? `a whole number ${ROUNDED}: write it as a text` : null);

function faultIn(value: unknown, depth: number): string | null {
  if (value === null || typeof value === 'string' || typeof value === 'boolean') return null;
  if (typeof value === 'number') return Number.isFinite(value) ? null : 'a number is beyond what can be written';
  if (typeof value !== 'object') return 'metadata holds JSON values only';
  if (depth > METADATA_BOUNDS.depth) return `values stand at most ${METADATA_BOUNDS.depth} deep inside each other`;
  const entries = Object.entries(value);
  if (entries.length > METADATA_BOUNDS.members) return `one object or list has at most ${METADATA_BOUNDS.members} members`;
  for (const [name, item] of entries) {
    if (RESERVED.has(name)) return `no member is called ${name}`;
    const fault = faultIn(item, depth + 1);
    if (fault !== null) return fault;
  }
  return null;
}
