import type { SubscriptionFact } from '../directory/subscription.js';
import type { CheckMode } from '../document/modes.js';
import type { PlanRule, PlanUse } from '../document/plan-rule.js';
import type { OperationRule } from '../document/release-document.js';
import type { CompiledPlan } from '../limit/compile-plan.js';
import { ownMember } from '../util/own-member.js';
import { finding, type Finding } from '../verdict/codes.js';
import type { Check } from './compiled.js';
import { bytesOf, type Exchange } from './exchange.js';
import type { Ports } from './ports.js';

const NOBODY = finding('plan.nobody', {});

/** Plans of a release by id and by name, in their order. */
export interface KnownPlans {
  readonly all: readonly CompiledPlan[];
  readonly byId: ReadonlyMap<string, CompiledPlan>;
}

export const findPlan = ({ all, byId }: KnownPlans, named: string): CompiledPlan | null =>
  byId.get(named) ?? all.find(({ rule }) => rule.name === named) ?? null;

/** Compiles the step that asks for a plan: one that the client has, or one that its token names; null where none is asked for. */
export function compilePlanStep(use: PlanUse, apiId: string, plans: KnownPlans, { directory, now }: Ports): Check | null {
  if (!use.asked) return null;
  return {
    step: 'plan',
    about: null,
    run: (exchange) => {
      const chosen = use.attribute === null ? null : namedPlan(use.attribute, exchange, plans);
      if (chosen !== null) return 'code' in chosen ? chosen : takePlan(chosen, apiId, exchange, 'token');
      const { caller, operation } = exchange;
      // A client of a provider that nobody has joined with one of the directory has no subscription.
      if (caller === null || caller.client === null) return NOBODY;
      const subscriptions = caller.metadata === null ? [] : directory().subscriptionsOf(caller.client);
      return takeSubscribed(subscriptions, {
        apiId,
        operation: operation?.rule ?? null,
        exchange,
        plans,
        nowMs: now(),
        client: caller.clientName ?? caller.client,
      });
    },
  };
}

const UNBOUNDED = finding('plan.no-bound', {});

/**
 * Compiles the step that holds bodies against what the plan allows, for plans that enforce or for those that only observe; null
 * where no plan of that kind that opens something of the API bounds them. A length that is not said is counted.
 */
export function compilePlanSizeStep(use: PlanUse, apiId: string, { all }: KnownPlans, mode: CheckMode): Check | null {
  const bounds = all.some(({ rule }) => rule.mode === mode && rule.requestBytes !== null && rule.covers.some((cover) => cover.apiId === apiId));
  if (!use.asked || !bounds) return null;
  const boundOf = ({ plan }: Exchange): number | null => (plan?.rule.mode === mode ? plan.rule.requestBytes : null);
  return {
    step: 'plan',
    about: null,
    beyond: boundOf,
    run: (exchange) => {
      const { body, plan } = exchange;
      const limit = boundOf(exchange);
      if (limit === null || plan === null || body === null) return UNBOUNDED;
      const bytes = bytesOf(body);
      const { name } = plan.rule;
      return bytes > limit ? finding('plan.too-large', { plan: name, bytes, limit }) : finding('plan.within', { plan: name, bytes: body.bytes, limit });
    },
  };
}

/** The plan that a token names; null where it names none. A name that no plan has, or that cannot be read, lets nobody in, whatever else there is. */
function namedPlan(attribute: string, { caller }: Exchange, plans: KnownPlans): CompiledPlan | Finding | null {
  const values = (caller && ownMember(caller.attributes, attribute)) ?? [];
  if (caller?.principal?.unread?.includes(`attributes.${attribute}`)) return finding('plan.not-known', { attribute, value: '(something that cannot be read)' });
  const [value] = values;
  if (value === undefined) return null;
  const plan = values.length === 1 ? findPlan(plans, value) : null;
  return plan ?? finding('plan.not-known', { attribute, value: values.join(', ').slice(0, 100) });
}

interface Asked {
  readonly apiId: string;
  readonly operation: OperationRule | null;
  readonly exchange: Exchange;
  readonly plans: KnownPlans;
  readonly nowMs: number;
  readonly client: string;
}

/** How near a subscription that does not open something came, ascending. */
const NEARNESS = ['plan.not-covered', 'plan.waiting', 'plan.ended', 'plan.not-yet', 'plan.suspended'] as const;

function takeSubscribed(subscriptions: readonly SubscriptionFact[], asked: Asked): Finding {
  const { apiId, operation, exchange, plans, client } = asked;
  let nearest: Finding | null = null;
  let nearness = -1;
  // In the order of the plans, so that of several the same one always counts.
  for (const plan of plans.all) {
    for (const one of subscriptions) {
      if (one.planId !== plan.rule.id) continue;
      const covers = operation !== null && plan.covers(apiId, operation.id);
      const wrong = covers ? faultOf(one, plan.rule, asked) : finding('plan.not-covered', { plan: plan.rule.name, client });
      if (wrong === null) return takePlan(plan, apiId, exchange, 'subscription');
      const near = NEARNESS.indexOf(wrong.code as (typeof NEARNESS)[number]);
      if (near > nearness) [nearest, nearness] = [wrong, near];
    }
  }
  return nearest ?? finding('plan.no-subscription', { client });
}

/** Why a subscription does not count now; null when it does. What is no time has ended. */
function faultOf({ state, startsAt, endsAt }: SubscriptionFact, { name: plan }: PlanRule, { nowMs, client }: Asked): Finding | null {
  if (state === 'waiting') return finding('plan.waiting', { plan, client });
  if (state === 'suspended') return finding('plan.suspended', { plan, client });
  if (state !== 'active') return finding('plan.ended', { plan, client, at: endsAt ?? 0 });
  if (endsAt !== null && !(nowMs < endsAt)) return finding('plan.ended', { plan, client, at: endsAt });
  if (startsAt !== null && !(nowMs >= startsAt)) return finding('plan.not-yet', { plan, client, at: startsAt });
  return null;
}

/** Takes a plan that counts. */
function takePlan(plan: CompiledPlan, apiId: string, exchange: Exchange, by: string): Finding {
  const { rule } = plan;
  const client = exchange.caller?.clientName ?? exchange.caller?.client ?? exchange.caller?.subject ?? '';
  if (exchange.operation === null || !plan.covers(apiId, exchange.operation.rule.id)) return finding('plan.not-covered', { plan: rule.name, client });
  exchange.plan = plan;
  return finding('plan.found', { plan: rule.name, client, by });
}
