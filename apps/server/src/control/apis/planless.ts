import { compilePlan, type ApiRule, type OperationRule, type PlanRule } from '@virga/core';

/** Operations of an API that ask for a plan and that no plan opens: nobody gets in there. */
function planlessOperations(api: ApiRule, plans: readonly PlanRule[]): OperationRule[] {
  const asking = api.operations.filter((operation) => (operation.plan ?? api.plan).asked && (operation.access ?? api.access).kind === 'required');
  if (asking.length === 0) return [];
  const compiled = plans.map((plan) => compilePlan(plan, ''));
  return asking.filter(({ id }) => !compiled.some((plan) => plan.covers(api.id, id)));
}

/** The same in words; empty where there are none. */
export function planlessWords(api: ApiRule, plans: readonly PlanRule[]): string {
  const [first, ...others] = planlessOperations(api, plans);
  if (!first) return '';
  return others.length === 0
    ? `${first.method} ${first.path} asks for a plan that nobody can have`
    : `${others.length + 1} operations ask for a plan that nobody can have`;
}
