import type { CompiledOperation } from '../decision/compiled.js';
import { modeOf } from '../document/modes.js';
import type { ReleaseDocument } from '../document/release-document.js';
import { compilePlan } from '../limit/compile-plan.js';
import type { SupposedCredential } from '../suppose/supposed-caller.js';
import type { SupposedCall } from '../suppose/supposition.js';
import { attack, type Attack, type AttackGround } from './attacks.js';
import { PLANLESS, planlessClient, planlessCredential, type Planless } from './favoured-call.js';

const PLAN_WORDS: Readonly<Record<Planless, string>> = {
  none: 'a good caller without a plan',
  waiting: 'a good caller whose plan nobody has approved',
  suspended: 'a good caller whose plan is suspended',
  ended: 'a good caller whose plan has ended',
  'not-yet': 'a good caller whose plan has not begun',
};

/** Of a caller that is let in: the same rights by a client whose plan is not good, a body beyond its plan, and every limit used up. */
export function planAttacks({ guard, ruled }: AttackGround, passing: SupposedCall): Attack[] {
  const modes = guard.rule.modes ?? guard.api.modes;
  const planned = guard.plan.asked && guard.rights !== null && modeOf(modes, 'plan') === 'enforce';
  const limited = guard.fallLine.some(({ step, mode }) => step === 'limit' && mode === 'enforce');
  return [
    ...(planned ? PLANLESS.flatMap((which) => planless(passing, which)) : []),
    ...(planned ? beyondPlans(guard, ruled, passing) : []),
    ...(limited && limitsSomething(guard) ? [{ ...attack('limits', 'a good caller that has used up every limit', passing), spent: true }] : []),
  ];
}

/** A body of more bytes than the largest that any plan allows which opens the operation; nothing where one of them allows all. */
function beyondPlans({ api, rule }: CompiledOperation, { plans }: ReleaseDocument, passing: SupposedCall): Attack[] {
  const open = plans.filter((plan) => compilePlan(plan, '').covers(api.id, rule.id));
  const bounds = open.map(({ requestBytes, mode }) => (mode === 'enforce' && requestBytes !== null ? requestBytes : Infinity));
  const most = Math.max(...bounds);
  if (!Number.isFinite(most)) return [];
  const body = most + 1;
  return [attack('plan size', `a good caller with a body of ${body} bytes, beyond its plan`, { ...passing, request: { ...passing.request, body } })];
}

/** Whether something limits callers of an operation that only plans might. */
const limitsSomething = ({ fallLine }: CompiledOperation): boolean => fallLine.some(({ hangsOn }) => hangsOn?.kind === 'limit' && hangsOn.surely);

function planless(passing: SupposedCall, which: Planless): Attack[] {
  const client = planlessClient(which);
  const credentials = passing.credentials.map((one): SupposedCredential | null => {
    if (one.kind === 'pasted') return null;
    if (one.kind === 'token') return { ...one, principal: { ...one.principal, client, attributes: {} } };
    return { kind: one.kind, credentialId: planlessCredential(one.kind, which) };
  });
  return credentials.every((one) => one !== null) ? [attack(`plan ${which}`, PLAN_WORDS[which], { ...passing, credentials })] : [];
}
