import { compareCallers, type CallerChange } from '../access/compare-callers.js';
import { describeAccess } from '../access/describe-access.js';
import type { AccessRule } from '../document/access-rule.js';
import type { ApiRule, OperationRule } from '../document/release-document.js';
import { canonicalJson } from '../util/canonical-json.js';

/** What a newer description changes about one operation, or about the API where `method` is empty. */
export interface ContractChange {
  readonly kind: 'added' | 'removed' | 'changed';
  readonly method: string;
  readonly path: string;
  readonly detail: string;
  /** Whether somebody may call who could not before. What is added counts as wider only when it lets anyone in. */
  readonly callers: CallerChange;
}

/** What a description declares, by itself. */
export interface Declared {
  readonly access: AccessRule;
  readonly operations: readonly { readonly method: string; readonly path: string; readonly access: AccessRule | null }[];
}

/** Two spellings of one template are one: names of parameters do not tell paths apart. */
export const templateShape = (path: string): string => path.replace(/\{[^{}]+\}/g, '{}');

/** The key by which operations of two descriptions are the same: names of path parameters do not count. */
export function operationKey(operation: { readonly method: string; readonly path: string }): string {
  return `${operation.method} ${templateShape(operation.path)}`;
}

/**
 * What taking a newer description does to an API: every operation whose callers change is named, whatever the cause (its
 * own security, the default, a scheme of another type), wider ones first; then what else changes, in the order of the
 * newer description, removed ones last.
 * @param declaredBefore what the earlier description declared, to name changes under rules that were set by hand; null when it is not known
 */
export function diffContracts(before: ApiRule, after: ApiRule, declaredBefore: Declared | null, declaredAfter: Declared): ContractChange[] {
  const old = new Map(before.operations.map((operation) => [operationKey(operation), operation]));
  const fresh = new Set(after.operations.map(operationKey));
  const declared = new Map(declaredBefore?.operations.map((operation) => [operationKey(operation), operation.access ?? declaredBefore.access]));
  const declares = new Map(declaredAfter.operations.map((operation) => [operationKey(operation), operation.access ?? declaredAfter.access]));
  const changes: ContractChange[] = [...changesOfApi(before, after)];
  for (const operation of after.operations) {
    const key = operationKey(operation);
    const { method, path } = operation;
    const earlier = old.get(key);
    const is = { access: operation.access ?? after.access, schemes: after.schemes };
    if (!earlier) {
      const callers = is.access.kind === 'required' ? 'same' : 'wider';
      changes.push({ kind: 'added', method, path, detail: [operation.summary, describeAccess(is.access)].filter(Boolean).join('; '), callers });
      continue;
    }
    const was = { access: earlier.access ?? before.access, schemes: before.schemes };
    const callers = compareCallers(was, is);
    const detail = [
      ...(callers === 'same' ? [] : [sayCallers(was.access, is.access)]),
      ...sayDeclared(operation, declared.get(key), declares.get(key)),
      ...differences(earlier, operation),
    ];
    if (detail.length > 0) changes.push({ kind: 'changed', method, path, detail: detail.join('; '), callers });
  }
  for (const { method, path, summary } of before.operations.filter((operation) => !fresh.has(operationKey(operation)))) {
    changes.push({ kind: 'removed', method, path, detail: summary, callers: 'same' });
  }
  const rank: readonly CallerChange[] = ['wider', 'narrower', 'same'];
  return changes.sort((a, b) => rank.indexOf(a.callers) - rank.indexOf(b.callers));
}

function changesOfApi(before: ApiRule, after: ApiRule): ContractChange[] {
  const change = (path: string, detail: string, callers: CallerChange): ContractChange => ({ kind: 'changed', method: '', path, detail, callers });
  const found: ContractChange[] = [];
  const callers = compareCallers(before, after);
  if (callers !== 'same' || canonicalJson(before.access) !== canonicalJson(after.access))
    found.push(change('default security', `was ${describeAccess(before.access)}, is ${describeAccess(after.access)}`, callers));
  const old = new Map(before.schemes.map((scheme) => [scheme.name, scheme]));
  for (const scheme of after.schemes) {
    const earlier = old.get(scheme.name);
    if (earlier && earlier.declared !== scheme.declared)
      found.push(change(`security scheme ${scheme.name}`, `was ${earlier.declared}, is ${scheme.declared}`, 'same'));
  }
  return found;
}

/** Rules in words; where the words are the same, a scheme behind them has changed. */
function sayCallers(before: AccessRule, after: AccessRule): string {
  const [was, is] = [describeAccess(before), describeAccess(after)];
  return was === is ? `who may call changes with a security scheme: ${is}` : `who may call was ${was}, is ${is}`;
}

/** A declaration that changed under a rule that an engineer set, and that therefore has no effect by itself. */
function sayDeclared(operation: OperationRule, before: AccessRule | undefined, after: AccessRule | undefined): string[] {
  if (operation.access?.origin !== 'hand' || !before || !after || canonicalJson(before) === canonicalJson(after)) return [];
  return [`declared security was ${describeAccess(before)}, is ${describeAccess(after)}; the rule set by hand stays`];
}

function differences(before: OperationRule, after: OperationRule): string[] {
  const found: string[] = [];
  if (before.path !== after.path) found.push(`path parameters renamed, was ${before.path}`);
  if (before.operationId !== after.operationId) found.push(`operationId ${before.operationId ?? 'none'} is now ${after.operationId ?? 'none'}`);
  if (before.summary !== after.summary) found.push('summary reworded');
  return found;
}
