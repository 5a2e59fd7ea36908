import { namesMember } from '../contract/body-members.js';
import { bodyType } from './body-type.js';
import { checkCondition } from './check-condition.js';
import { compileCondition } from './compile-condition.js';
import type { ConditionFault } from './condition-fault.js';
import { inputOf, type ConditionScope } from './condition-input.js';
import { parseCondition } from './parse-condition.js';

/** How a condition that can be used stands to what contracts say of bodies. */
export interface AgainstContract {
  /**
   * Members of the body that no description names, as `a.b`: a name that is misspelt is never there, so that asking whether it is
   * would hold for everybody.
   */
  readonly unnamed: readonly string[];
  /** What comes to an error, or never holds, for bodies as they are described: each such request would be refused, or none. */
  readonly faults: readonly ConditionFault[];
}

const NOTHING: AgainstContract = { unnamed: [], faults: [] };

/**
 * Holds a condition against what contracts say of the bodies that it looks at. Nothing of it makes it unusable: a contract need not
 * be enforced. Empty where nothing is known of bodies, and for a condition that cannot be used anyway.
 */
export function againstContract(source: string, scope: ConditionScope): AgainstContract {
  const members = scope.bodyMembers ?? [];
  const parsed = parseCondition(source);
  const compiled = compileCondition(source, scope);
  if (members.length === 0 || !('evaluate' in compiled) || !('expression' in parsed)) return NOTHING;
  const unnamed = compiled.looksAt.flatMap(([root, part, ...names]) =>
    root === 'request' && part === 'body' && names.length > 0 && !namesMember(members, names) ? [names.join('.')] : [],
  );
  return { unnamed, faults: checkCondition(parsed, inputOf(scope, bodyType(members))).faults };
}
