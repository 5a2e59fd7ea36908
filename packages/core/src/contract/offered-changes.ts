import { canonicalJson } from '../util/canonical-json.js';
import { isRecord, pointerOf, valueAt } from '../util/json-pointer.js';
import { operationKey } from './diff-contracts.js';
import { listOperations, type ContractOperation } from './list-operations.js';

type Json = Readonly<Record<string, unknown>>;

/** What a newer description offers otherwise, for those who call it. */
export interface OfferedDifference {
  readonly kind: 'new' | 'changed' | 'deprecated' | 'gone';
  readonly method: string;
  readonly path: string;
  readonly summary: string;
}

/** Values of a document that are looked at for one operation. */
const MOST_REFERENCES = 5000;

/**
 * What is new, changed, deprecated or gone in a newer description, operation by operation, in the order of the newer one,
 * what is gone last. An operation changed when anything that it says or refers to did, its descriptions included.
 */
export function offeredChanges(before: Json, after: Json): OfferedDifference[] {
  const old = new Map(listOperations(before).operations.map((one) => [operationKey(one), one]));
  const fresh = listOperations(after).operations;
  const changes = fresh.flatMap((one): OfferedDifference[] => {
    const { method, path, summary } = one;
    const earlier = old.get(operationKey(one));
    if (!earlier) return [{ kind: 'new', method, path, summary }];
    const [was, is] = [operationAt(before, earlier), operationAt(after, one)];
    if (is['deprecated'] === true && was['deprecated'] !== true) return [{ kind: 'deprecated', method, path, summary }];
    return whole(before, earlier) === whole(after, one) ? [] : [{ kind: 'changed', method, path, summary }];
  });
  const keys = new Set(fresh.map(operationKey));
  const gone = [...old].filter(([key]) => !keys.has(key)).map(([, { method, path, summary }]): OfferedDifference => ({ kind: 'gone', method, path, summary }));
  return [...changes, ...gone];
}

function operationAt(document: Json, { pointer }: ContractOperation): Json {
  const value = valueAt(document, pointer);
  return isRecord(value) ? value : {};
}

/** All that an operation says and refers to, as one text. */
function whole(document: Json, operation: ContractOperation): string {
  const item = valueAt(document, pointerOf('paths', operation.path));
  const shared = isRecord(item) ? [item['parameters'], item['servers']] : [];
  const seen = new Map<string, unknown>();
  const waiting: unknown[] = [operationAt(document, operation), shared];
  const parts: unknown[] = [...waiting];
  while (waiting.length > 0 && seen.size < MOST_REFERENCES) {
    for (const reference of referencesIn(waiting.pop())) {
      if (seen.has(reference)) continue;
      const value = reference.startsWith('#') ? valueAt(document, decodeURIComponent(reference.slice(1))) : reference;
      seen.set(reference, value);
      waiting.push(value);
    }
  }
  parts.push([...seen].sort(([a], [b]) => (a < b ? -1 : 1)));
  return canonicalJson(parts.map((part) => part ?? null));
}

function referencesIn(value: unknown): string[] {
  if (Array.isArray(value)) return (value as unknown[]).flatMap(referencesIn);
  if (!isRecord(value)) return [];
  const own = typeof value['$ref'] === 'string' ? [value['$ref']] : [];
  return [...own, ...Object.values(value).flatMap(referencesIn)];
}
