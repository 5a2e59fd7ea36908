import type { ConditionRule, ConditionUse } from '../document/condition-rule.js';

/** A condition in one line: its name and what it says. */
export function describeCondition(use: ConditionUse, shared: readonly ConditionRule[]): string {
  const source = use.kind === 'own' ? use.source : shared.find(({ name }) => name === use.name)?.source;
  return source === undefined ? `${use.name}, which is not there` : `${use.name}: ${source.trim().replace(/\s+/g, ' ')}`;
}
