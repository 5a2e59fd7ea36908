import { placeIn } from '../condition/condition-fault.js';
import { compileCondition, type ConditionResult } from '../condition/compile-condition.js';
import type { ConditionScope } from '../condition/condition-input.js';
import { compileVariables, isAlwaysRead, isReadInPart, lookAtRequest, looksAtSecrets, seenBy } from './condition-variables.js';
import type { ConditionRule, ConditionUse } from '../document/condition-rule.js';
import { ConfigError } from '../util/config-error.js';
import { finding, type Finding } from '../verdict/codes.js';
import type { Check, CheckGrounds } from './compiled.js';
import type { Exchange } from './exchange.js';
import type { Ports } from './ports.js';
import { looksAtBody, UnreadBody } from './request-body.js';

/** Where conditions are compiled for: an operation, with what it is called in words, and the pointer of the list. */
export interface ConditionPlace {
  readonly scope: ConditionScope;
  readonly label: string;
  readonly at: string;
}

/**
 * Compiles the conditions of an operation, one step each.
 * @throws ConfigError with the pointer of the condition that is wrong, and its place in the text
 */
export function compileConditions(uses: readonly ConditionUse[], shared: readonly ConditionRule[], place: ConditionPlace, ports: Ports): Check[] {
  return uses.map((use, index) => {
    const rule = use.kind === 'own' ? use : shared.find(({ name }) => name === use.name);
    if (!rule) throw new ConfigError(`${place.at}/${index}/name`, `there is no condition called ${use.name.slice(0, 60)}`);
    const compiled = compileCondition(rule.source, place.scope);
    if (!('evaluate' in compiled)) {
      const [first] = compiled;
      const { line, column } = placeIn(rule.source, first?.at ?? 0);
      throw new ConfigError(`${place.at}/${index}`, `${rule.name}, for ${place.label}: ${first?.says ?? ''} (line ${line}, column ${column})`);
    }
    const variablesOf = compileVariables(compiled.looksAt);
    const hangsOn = { kind: 'condition', name: rule.name, condition: compiled, variablesOf } as const;
    return { step: 'condition', about: null, run: conditionRun(hangsOn, ports), hangsOn, readsBody: looksAtBody(compiled.looksAt) };
  });
}

function conditionRun({ name, condition, variablesOf }: ConditionGrounds, ports: Ports): (exchange: Exchange) => Finding {
  const find = findingsOf({ name, condition });
  const plainly = isAlwaysRead(condition.looksAt) ? condition.plainly : null;
  return (exchange) => {
    if (plainly !== null && !isReadInPart(exchange) && plainly(exchange, lookAtRequest)) return find(MET, NO_VARIABLES);
    let variables: Record<string, unknown>;
    try {
      variables = variablesOf(exchange, ports.now(), ports.directory());
    } catch (error) {
      const says = (error as Error).message.slice(0, 300);
      return error instanceof UnreadBody
        ? finding('condition.unread', { name, says })
        : finding('condition.error', { name, says, line: 1, column: 1, seen: [] });
    }
    return find(condition.evaluate(variables), variables);
  };
}

const MET: ConditionResult = { kind: 'met' };
const NO_VARIABLES = {};

type ConditionGrounds = Extract<CheckGrounds, { readonly kind: 'condition' }>;

/** What is said of a result. */
export function findingsOf({
  name,
  condition,
}: Pick<ConditionGrounds, 'name' | 'condition'>): (result: ConditionResult, variables: Readonly<Record<string, unknown>>) => Finding {
  const met = finding('condition.met', { name });
  // Errors of the library quote the value that they could not use.
  const quotes = !looksAtSecrets(condition.looksAt);
  return (result, variables) => {
    if (result.kind === 'met') return met;
    const { line, column } = placeIn(condition.source, result.kind === 'error' ? result.at : result.part.at);
    if (result.kind === 'error')
      return finding('condition.error', {
        name,
        says: quotes || namesOwnWord(result.says, condition.source) ? result.says.slice(0, 300) : 'a value that it looks at cannot be used so',
        line,
        column,
        seen: seenBy(condition.looksAt, variables),
      });
    return finding('condition.not-met', { name, part: result.part.source.slice(0, 300), line, column, seen: seenBy(result.part.looksAt, variables) });
  };
}

/** Whether an error says no more than that a member is missing which the condition names itself. */
function namesOwnWord(says: string, source: string): boolean {
  const missing = /^(?:field not found|no such key): ([\w.-]+)$/.exec(says)?.[1];
  return missing !== undefined && source.includes(missing);
}
