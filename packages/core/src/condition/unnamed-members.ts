import { namesMember } from '../contract/body-members.js';
import { compileCondition } from './compile-condition.js';
import type { ConditionScope } from './condition-input.js';

/**
 * Members of the body that a condition looks at and that no description names, as `a.b`: a name that is misspelt is never there, so
 * that asking whether it is would hold for everybody. Empty where nothing is known of bodies.
 */
export function unnamedMembers(source: string, scope: ConditionScope): readonly string[] {
  const members = scope.bodyMembers ?? [];
  const compiled = compileCondition(source, scope);
  if (members.length === 0 || !('evaluate' in compiled)) return [];
  return compiled.looksAt.flatMap(([root, part, ...names]) =>
    root === 'request' && part === 'body' && names.length > 0 && !namesMember(members, names) ? [names.join('.')] : [],
  );
}
