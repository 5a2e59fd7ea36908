import type { Check, CompiledStep } from '../decision/compiled.js';
import { compileLimitSteps } from '../decision/limit-steps.js';
import { compilePlanSizeStep, compilePlanStep, type KnownPlans } from '../decision/plan-step.js';
import type { Ports } from '../decision/ports.js';
import type { LimitRule } from '../document/limit-rule.js';
import { modeOf, type ModeRule } from '../document/modes.js';
import type { PlanUse } from '../document/plan-rule.js';
import { compileLimits } from '../limit/compile-limits.js';
import type { CompiledLimit } from '../limit/compile-plan.js';

/** What of an operation's rules is about plans and limits. */
interface AgreedRules {
  readonly plan: PlanUse;
  readonly modes: ModeRule;
  readonly operationId: string;
  /** The operation's own. */
  readonly limits: readonly LimitRule[];
}

/** Where the operation stands, and the limits of its API. */
interface AgreedPlace {
  readonly apiId: string;
  readonly apiLimits: readonly LimitRule[];
  /** Pointers of its API and of itself. */
  readonly owner: string;
  readonly pointer: string;
  /** Whether anybody is asked who calls. */
  readonly asksWho: boolean;
}

/** What stands for the whole release. */
interface AgreedContext {
  readonly plans: KnownPlans;
  readonly limits: readonly CompiledLimit[];
  readonly ports: Ports;
}

/** Steps behind who may call. */
interface AgreedSteps {
  readonly steps: readonly CompiledStep[];
  /** Those that are run again while the body of a request comes. */
  readonly ofBody: readonly CompiledStep[];
}

/** The steps of plan and limits. Where nobody is asked who calls, nobody can have a plan. */
export function agreedSteps(
  { plan, modes, operationId, limits }: AgreedRules,
  { apiId, apiLimits, owner, pointer, asksWho }: AgreedPlace,
  { plans, limits: ofGateway, ports }: AgreedContext,
  inMode: (check: Check) => CompiledStep,
): AgreedSteps {
  const planStep = asksWho ? compilePlanStep(plan, apiId, plans, ports) : null;
  const own = [...ofGateway, ...compileLimits(apiLimits, apiId, `${owner}/limits`), ...compileLimits(limits, `${apiId} ${operationId}`, `${pointer}/limits`)];
  const softPlans = planStep !== null && plans.all.some(({ rule }) => rule.mode === 'observe');
  const observeAll = modeOf(modes, 'limit') === 'observe';
  const { enforced, observed } = compileLimitSteps({ own, planned: planStep !== null, softPlans }, observeAll, ports);
  const { standIn = (step: CompiledStep) => step } = ports;
  const [hard, soft] = (['enforce', 'observe'] as const).map((mode) => (asksWho ? compilePlanSizeStep(plan, apiId, plans, mode) : null));
  const ofBody = [...(hard ? [inMode(hard)] : []), ...(soft ? [standIn({ ...soft, mode: 'observe' })] : [])];
  const steps = [
    ...(planStep ? [inMode(planStep)] : []),
    ...ofBody,
    ...(enforced ? [standIn({ ...enforced, mode: 'enforce' })] : []),
    ...(observed ? [standIn({ ...observed, mode: 'observe' })] : []),
  ];
  return { steps, ofBody };
}
