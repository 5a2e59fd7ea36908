import { namesMember } from '../contract/body-members.js';
import { namesField, namesParameter } from '../contract/described-parameters.js';
import { checkCondition } from './check-condition.js';
import { compileCondition } from './compile-condition.js';
import type { ConditionFault } from './condition-fault.js';
import { inputOf, type ConditionScope } from './condition-input.js';
import { describedTypes } from './described-types.js';
import { parseCondition } from './parse-condition.js';

/** How a condition that can be used stands to what contracts say of requests. */
export interface AgainstContract {
  /**
   * Members of the body, as `a.b` and `list[].c`, parameters of the query and header fields that no description names: a name that is
   * misspelt is never there, so that asking whether it is would hold for everybody.
   */
  readonly unnamed: { readonly body: readonly string[]; readonly query: readonly string[]; readonly headers: readonly string[] };
  /** What comes to an error, or never holds, for requests as they are described: each such request would be refused, or none. */
  readonly faults: readonly ConditionFault[];
  /** Texts that no request has where they are looked for, whatever a contract says: a method in small letters, a field or parameter that is never shown. */
  readonly never: readonly ConditionFault[];
}

const NOTHING: AgainstContract = { unnamed: { body: [], query: [], headers: [] }, faults: [], never: [] };

/**
 * Holds a condition against what contracts say of the requests that it looks at. Nothing of it makes it unusable: a contract need not
 * be enforced. Empty for what nothing is known of, and for a condition that cannot be used anyway.
 */
export function againstContract(source: string, scope: ConditionScope): AgainstContract {
  const { bodyMembers: members = [], contractParameters: parameters = null } = scope;
  const parsed = parseCondition(source);
  const compiled = compileCondition(source, scope);
  if (!('evaluate' in compiled) || !('expression' in parsed)) return NOTHING;
  const { never } = checkCondition(parsed, inputOf(scope));
  const described = checkCondition(parsed, inputOf(scope, describedTypes(scope)));
  const behind = (beginning: string): string[] => described.unnamed.flatMap((name) => (name.startsWith(beginning) ? [name.slice(beginning.length)] : []));
  const looksAt = compiled.looksAt.flatMap(([root, part, ...names]) => (root === 'request' && part === 'body' && names.length > 0 ? [names] : []));
  const body =
    members.length === 0 ? [] : [...looksAt.filter((names) => !namesMember(members, names)).map((names) => names.join('.')), ...behind('request.body.')];
  const isOf = (found: readonly ConditionFault[], { at, says }: ConditionFault): boolean => found.some((one) => one.at === at && one.says === says);
  return {
    unnamed: {
      body: [...new Set(body)],
      query: behind('request.query.').filter((name) => !namesParameter(parameters ?? [], name)),
      headers: behind('request.headers.').filter((name) => !namesField(parameters ?? [], name)),
    },
    faults: [...described.faults, ...described.never.filter((one) => !isOf(never, one))].sort((one, other) => one.at - other.at),
    never,
  };
}
