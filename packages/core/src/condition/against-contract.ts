import { namesMember } from '../contract/body-members.js';
import { namesParameter } from '../contract/query-parameters.js';
import { bodyType } from './body-type.js';
import { checkCondition } from './check-condition.js';
import { compileCondition } from './compile-condition.js';
import type { ConditionFault } from './condition-fault.js';
import { inputOf, type ConditionScope } from './condition-input.js';
import { parseCondition } from './parse-condition.js';

/** How a condition that can be used stands to what contracts say of requests. */
export interface AgainstContract {
  /**
   * Members of the body, as `a.b`, and parameters of the query that no description names: a name that is misspelt is never there, so
   * that asking whether it is would hold for everybody.
   */
  readonly unnamed: { readonly body: readonly string[]; readonly query: readonly string[] };
  /** What comes to an error, or never holds, for bodies as they are described: each such request would be refused, or none. */
  readonly faults: readonly ConditionFault[];
  /** Texts that no request has where they are looked for, whatever a contract says: a method in small letters, a field or parameter that is never shown. */
  readonly never: readonly ConditionFault[];
}

const NOTHING: AgainstContract = { unnamed: { body: [], query: [] }, faults: [], never: [] };

/**
 * Holds a condition against what contracts say of the bodies and queries that it looks at. Nothing of it makes it unusable: a contract
 * need not be enforced. Empty for what nothing is known of, and for a condition that cannot be used anyway.
 */
export function againstContract(source: string, scope: ConditionScope): AgainstContract {
  const { bodyMembers: members = [], queryParameters: parameters = null } = scope;
  const parsed = parseCondition(source);
  const compiled = compileCondition(source, scope);
  if (!('evaluate' in compiled) || !('expression' in parsed)) return NOTHING;
  const namesIn = (wanted: string): string[][] =>
    compiled.looksAt.flatMap(([root, part, ...names]) => (root === 'request' && part === wanted && names.length > 0 ? [names] : []));
  const body = members.length === 0 ? [] : namesIn('body').filter((names) => !namesMember(members, names));
  const query = parameters === null ? [] : namesIn('query').filter(([name = '']) => !namesParameter(parameters, name));
  const { faults, never } = checkCondition(parsed, inputOf(scope, bodyType(members)));
  return {
    unnamed: { body: body.map((names) => names.join('.')), query: query.map(([name = '']) => name) },
    faults,
    never,
  };
}
