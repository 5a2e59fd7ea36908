import { describeAccess } from '../access/describe-access.js';
import { canonicalJson } from '../util/canonical-json.js';
import type { ContractOperation } from './list-operations.js';

/** What a newer description changes about one operation. */
export interface ContractChange {
  readonly kind: 'added' | 'removed' | 'changed';
  readonly method: string;
  readonly path: string;
  readonly detail: string;
}

type Described = Pick<ContractOperation, 'method' | 'path' | 'operationId' | 'summary' | 'access'>;

/** The key by which operations of two descriptions are the same: names of path parameters do not count. */
export function operationKey(operation: { readonly method: string; readonly path: string }): string {
  return `${operation.method} ${operation.path.replace(/\{[^{}]+\}/g, '{}')}`;
}

/** The difference of two lists of operations, in the order of the newer one, removed ones last. */
export function diffContracts(before: readonly Described[], after: readonly Described[]): ContractChange[] {
  const old = new Map(before.map((operation) => [operationKey(operation), operation]));
  const fresh = new Set(after.map(operationKey));
  const changes: ContractChange[] = [];
  for (const operation of after) {
    const { method, path } = operation;
    const earlier = old.get(operationKey(operation));
    if (!earlier) changes.push({ kind: 'added', method, path, detail: operation.summary });
    else {
      const detail = differences(earlier, operation);
      if (detail.length > 0) changes.push({ kind: 'changed', method, path, detail: detail.join('; ') });
    }
  }
  for (const { method, path, summary } of before.filter((operation) => !fresh.has(operationKey(operation)))) {
    changes.push({ kind: 'removed', method, path, detail: summary });
  }
  return changes;
}

function differences(before: Described, after: Described): string[] {
  const found: string[] = [];
  if (before.path !== after.path) found.push(`path parameters renamed, was ${before.path}`);
  if (before.operationId !== after.operationId) found.push(`operationId ${before.operationId ?? 'none'} is now ${after.operationId ?? 'none'}`);
  if (before.summary !== after.summary) found.push('summary reworded');
  if (canonicalJson(before.access) !== canonicalJson(after.access))
    found.push(`declared security was ${describeAccess(before.access)}, is ${describeAccess(after.access)}`);
  return found;
}
