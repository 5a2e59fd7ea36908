import { compileCondition, type ConditionFault, type ConditionScope } from '@virga/core';

/** What is wrong with a condition, by the check that publishing makes; nothing when it can be used. */
export function faultsOf(source: string, scope: ConditionScope): readonly ConditionFault[] {
  const compiled = compileCondition(source, scope);
  return 'evaluate' in compiled ? [] : compiled;
}
