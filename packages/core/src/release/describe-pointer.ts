import type { ReleaseDocument } from '../document/release-document.js';
import { pointerParts } from '../util/json-pointer.js';

/** What a pointer into a release is about, for a link to where it is edited. */
export interface RulePlace {
  /** Empty for a rule of the gateway as a whole. */
  readonly apiId: string;
  /** Null for a rule of the API as a whole. */
  readonly operationId: string | null;
  /** The member of the API or operation, such as `access`, `token`, `upstream`, and what is inside; empty for an operation as a whole. */
  readonly member: readonly string[];
}

/** Members of the document that are rules of the gateway. */
const OF_GATEWAY: ReadonlySet<string> = new Set([
  'fence',
  'networks',
  'callerAddress',
  'conditions',
  'authorizers',
  'detectors',
  'plans',
  'limits',
  'guessing',
  'counting',
]);

/** Reads a pointer into a release document; null where it names no rule that the document has. */
export function describePointer(document: ReleaseDocument, pointer: string): RulePlace | null {
  const [root, index, ...rest] = pointerParts(pointer) ?? [];
  if (root !== undefined && OF_GATEWAY.has(root)) return { apiId: '', operationId: null, member: [root, ...(index === undefined ? [] : [index]), ...rest] };
  const api = root === 'apis' ? document.apis[Number(index)] : undefined;
  if (!api) return null;
  if (rest[0] !== 'operations') return { apiId: api.id, operationId: null, member: rest };
  const operation = api.operations[Number(rest[1])];
  return operation ? { apiId: api.id, operationId: operation.id, member: rest.slice(2) } : null;
}
