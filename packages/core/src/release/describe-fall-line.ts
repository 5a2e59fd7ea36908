import { describeAccess } from '../access/describe-access.js';
import { describeAuthorizer } from '../authorizer/describe-authorizer.js';
import { describeCondition } from '../condition/describe-condition.js';
import { describeAddresses } from '../address/describe-addresses.js';
import { placeWords } from '../credential/find-place.js';
import type { CompiledOperation, CompiledRelease, CompiledStep } from '../decision/compiled.js';
import type { LaterPhase } from '../decision/phases.js';
import { CONTRACT_PARTS } from '../document/contract-rule.js';
import type { SensitiveRule, SensitiveUse } from '../document/sensitive-rule.js';
import { detectorsFor } from '../sensitive/detectors.js';
import { partWords } from '../verdict/contract-codes.js';
import type { GuessingRule } from '../document/limit-rule.js';
import { MODED_CHECKS, modeOf, type CheckMode } from '../document/modes.js';
import { compilePlan } from '../limit/compile-plan.js';
import { describeLimit } from '../limit/describe-limit.js';
import type { MessageRule } from '../document/message-rule.js';
import type { CompiledLane } from '../shape/header-lane.js';
import type { TokenRule } from '../document/token-rule.js';
import { STEP_NAMES, type StepId } from '../verdict/code-entry.js';

/** Who set something: the gateway itself, the API for all of its operations, or the one operation. */
export type SetAt = 'gateway' | 'api' | 'operation';

/** One check of an operation as a rule: what it asks, its mode, and where both were set. */
export interface DescribedCheck {
  readonly step: StepId;
  readonly name: string;
  /** What it asks, in words. */
  readonly asks: string;
  /** Null for what always refuses. */
  readonly mode: CheckMode | null;
  readonly modeSetAt: SetAt;
  readonly setAt: SetAt;
  /** The member of the API or operation that is edited; empty where nothing can be. */
  readonly part:
    | ''
    | 'fence'
    | 'addresses'
    | 'conditions'
    | 'authorizers'
    | 'access'
    | 'token'
    | 'schemes'
    | 'cors'
    | 'upstream'
    | 'message'
    | 'headers'
    | 'contract'
    | 'guessing'
    | 'plan'
    | 'limits'
    | 'sensitive';
}

/** The whole fall line of an operation, in order, in words. */
export function describeFallLine(operation: CompiledOperation, release: CompiledRelease): DescribedCheck[] {
  const { rule, api } = operation;
  const always = (step: StepId, asks: string, part: DescribedCheck['part'] = '', setAt: SetAt = 'gateway'): DescribedCheck => ({
    step,
    name: STEP_NAMES[step],
    asks,
    mode: null,
    modeSetAt: 'gateway',
    setAt,
    part,
  });
  return [
    always('message', 'One Host, lengths and lines that every reader takes alike, headers within bounds'),
    ...(release.fence ? [{ ...always('fence', describeAddresses(release.document.fence.addresses), 'fence'), mode: release.fence.mode }] : []),
    always('route', `${rule.method} ${api.basePath}${rule.path}, in its one plain spelling`),
    ...(api.cors ? [always('preflight', `Origins ${api.cors.origins.join(', ')}`, 'cors', 'api')] : []),
    ...operation.fallLine.map((step) => describeCheck(step, operation, release)),
    ...describeLater('request-content', operation, release),
    always('upstream', `${api.upstream.url}, within ${api.upstream.responseTimeoutMs} ms`, 'upstream', 'api'),
    ...describeLater('answer-head', operation, release),
    ...describeLater('answer-content', operation, release),
  ];
}

const describeLater = (phase: LaterPhase, operation: CompiledOperation, release: CompiledRelease): DescribedCheck[] =>
  (operation.later[phase] ?? []).map((step) => describeCheck(step, operation, release));

const describeCheck = (step: CompiledStep, operation: CompiledOperation, release: CompiledRelease): DescribedCheck => ({
  ...described(step, operation),
  ...(describeOwnRule(step, operation, release) ?? describeStep(step, operation, release)),
});

/** What a condition or an authorizer asks: there is one step for each; null for other steps. */
function describeOwnRule({ hangsOn, readsBody }: CompiledStep, { rule, conditions }: CompiledOperation, { document }: CompiledRelease): Described | null {
  const when = readsBody === true ? ', once the body has come' : '';
  if (hangsOn?.kind === 'authorizer') {
    const asks = describeAuthorizer(hangsOn.rule.name, document.authorizers);
    return { asks: asks + when, part: 'authorizers', setAt: rule.authorizers === null ? 'api' : 'operation' };
  }
  if (hangsOn?.kind !== 'condition') return null;
  const use = conditions.find(({ name }) => name === hangsOn.name);
  return { asks: (use ? describeCondition(use, document.conditions) : '') + when, part: 'conditions', setAt: rule.conditions === null ? 'api' : 'operation' };
}

/** Name and mode of a step, and who set the mode. */
function described({ step, mode }: CompiledStep, { rule, rights }: CompiledOperation): Pick<DescribedCheck, 'step' | 'name' | 'mode' | 'modeSetAt'> {
  const part = CONTRACT_PARTS.find((one) => one === step);
  if (part !== undefined) return { step, name: STEP_NAMES[step], mode, modeSetAt: rule.contract?.parts?.[part] === undefined ? 'api' : 'operation' };
  // What may not pass is refused or masked, unless the whole only observes.
  if (step === 'sensitive' || step.startsWith('sensitive-'))
    return { step, name: STEP_NAMES[step], mode, modeSetAt: rule.modes === null ? 'api' : 'operation' };
  if (step === 'guess') return { step, name: STEP_NAMES[step], mode, modeSetAt: 'gateway' };
  const moded = (MODED_CHECKS as readonly string[]).includes(step) && (rights !== null || step !== 'credential');
  return { step, name: STEP_NAMES[step], mode: moded ? mode : null, modeSetAt: !moded ? 'gateway' : rule.modes === null ? 'api' : 'operation' };
}

type Described = Pick<DescribedCheck, 'asks' | 'part' | 'setAt'>;

function describeStep(step: CompiledStep, operation: CompiledOperation, release: CompiledRelease): Described {
  const { rule, api, rights, token, access } = operation;
  const byAccess = rule.access === null ? 'api' : 'operation';
  const byToken = (...members: (keyof TokenRule)[]): SetAt => (members.some((member) => rule.token && Object.hasOwn(rule.token, member)) ? 'operation' : 'api');
  const byMessage = (member: keyof MessageRule): SetAt => (rule.message && Object.hasOwn(rule.message, member) ? 'operation' : 'api');
  const { message } = operation;
  switch (step.step) {
    case 'address':
      return { asks: describeAddresses(operation.addresses), part: 'addresses', setAt: rule.addresses === null ? 'api' : 'operation' };
    case 'credential': {
      const places = [...(rights?.kinds.has('token') ? token.places : []), ...(rights?.keys ?? []).map(({ place }) => place)].map(placeWords);
      const others = [...(rights?.kinds.has('basic') ? ['Basic'] : []), ...(rights?.kinds.has('certificate') ? ['the TLS connection'] : [])];
      if (rights === null) return { asks: `Nothing: ${describeAccess(access, api.schemes)}`, part: 'access', setAt: byAccess };
      return { asks: `What proves a caller, in ${[...places, ...others].join(' or ') || 'no place: nobody can'}`, part: 'token', setAt: byToken('places') };
    }
    case 'token': {
      const providers = [...(rights?.providers ?? [])].map((id) => release.providersById.get(id)?.rule.name ?? id);
      const audience = token.audiences === 'ANY_AUDIENCE' ? 'for any audience' : `for ${token.audiences.join(' or ')}`;
      const type = token.type === 'ANY_TYPE' ? '' : `, of type ${token.type}`;
      return {
        asks: `A genuine access token of ${providers.join(' or ')}, ${audience}${type}`,
        part: 'token',
        setAt: byToken('audiences', 'type', 'algorithms'),
      };
    }
    case 'key': {
      const places = (rights?.keys ?? []).map(({ place }) => placeWords(place));
      return { asks: `A key of a client that is on, in ${places.join(' or ')}`, part: 'schemes', setAt: 'api' };
    }
    case 'basic':
      return { asks: 'Name and secret of a client that is on, over TLS', part: 'schemes', setAt: 'api' };
    case 'certificate':
      return { asks: 'A certificate of a client that is on', part: 'schemes', setAt: 'api' };
    case 'proof': {
      const asked = [...(token.dpop === 'required' ? ['DPoP'] : []), ...(token.certificate === 'required' ? ['the client certificate'] : [])];
      return {
        asks: asked.length > 0 ? `Proof of possession by ${asked.join(' and ')}` : 'Proof of possession, where the token is bound',
        part: 'token',
        setAt: byToken('dpop', 'certificate', 'dpopNonce'),
      };
    }
    case 'claims':
      return { asks: claimWords(token), part: 'token', setAt: byToken('clients', 'claims', 'maxAgeSeconds', 'stepUp') };
    case 'rights':
      return { asks: describeAccess(access, api.schemes), part: 'access', setAt: byAccess };
    case 'type':
      return { asks: `Bodies of ${listed(message.contentTypes)}`, part: 'message', setAt: byMessage('contentTypes') };
    case 'size':
      return { asks: `Bodies of at most ${bytes(message.requestBytes)}`, part: 'message', setAt: byMessage('requestBytes') };
    case 'answer':
      return { asks: `Answers of at most ${bytes(message.answerBytes)}`, part: 'message', setAt: byMessage('answerBytes') };
    case 'lane-up':
      return { asks: laneWords(operation.lanes.up), part: 'headers', setAt: 'api' };
    case 'lane-back':
      return { asks: laneWords(operation.lanes.back), part: 'headers', setAt: 'api' };
    case 'sensitive':
    case 'sensitive-body':
      return { asks: `None of ${sensitiveWords(api.sensitive, release, ({ request }) => request === 'refuse')}`, part: 'sensitive', setAt: 'api' };
    case 'sensitive-fields':
    case 'sensitive-answer':
      return { asks: answerWords(api.sensitive, release), part: 'sensitive', setAt: 'api' };
    case 'guess':
      return { asks: guessWords(release.document.guessing), part: 'guessing', setAt: 'gateway' };
    case 'plan':
      return {
        asks: step.beyond ? planSizeWords(operation, release, step) : planWords(operation, release),
        part: 'plan',
        setAt: rule.plan === null ? 'api' : 'operation',
      };
    case 'limit':
      return {
        asks: limitWords(operation, release, step),
        part: 'limits',
        setAt: rule.limits.length > 0 ? 'operation' : api.limits.length > 0 ? 'api' : 'gateway',
      };
    case 'contract':
      return { asks: 'The contract describes the operation', part: 'contract', setAt: 'api' };
    default: {
      const part = CONTRACT_PARTS.find((one) => one === step.step);
      if (part === undefined) return { asks: '', part: '', setAt: 'gateway' };
      return {
        asks: `What the contract says of ${partWords(part)}`,
        part: 'contract',
        setAt: rule.contract?.parts?.[part] === undefined ? 'api' : 'operation',
      };
    }
  }
}

/** Names of the detectors of some uses. */
function sensitiveWords({ uses }: SensitiveRule, { document }: CompiledRelease, wanted: (use: SensitiveUse) => boolean): string {
  return detectorsFor(
    uses.filter(wanted).map(({ detector }) => detector),
    document.detectors,
  )
    .map(({ name }) => name.charAt(0).toLowerCase() + name.slice(1))
    .join(', ');
}

function answerWords(rule: SensitiveRule, release: CompiledRelease): string {
  const refused = sensitiveWords(rule, release, ({ answer }) => answer === 'refuse');
  const masked = sensitiveWords(rule, release, ({ answer }) => answer === 'mask');
  return [refused && `None of ${refused}`, masked && `masks ${masked}`].filter(Boolean).join('; ');
}

function guessWords(rule: GuessingRule | null): string {
  if (rule === null) return '';
  const counts = [
    ...(rule.byAddress === null ? [] : [`${rule.byAddress} from one address`]),
    ...(rule.byCredential === null ? [] : [`${rule.byCredential} with one credential`]),
  ];
  return `Fewer failures to prove oneself than ${counts.join(' or ')} in ${rule.seconds} s`;
}

function planWords({ plan, rule, api }: CompiledOperation, { document }: CompiledRelease): string {
  const open = document.plans.filter((one) => compilePlan(one, '').covers(api.id, rule.id)).map(({ name }) => name);
  const which = open.length === 0 ? 'no plan opens it: nobody passes' : open.join(' or ');
  return `A plan that opens it: ${which}${plan.attribute === null ? '' : `; ${plan.attribute} of the token may name it`}`;
}

/** What plans of one mode allow of bodies. */
function planSizeWords({ rule, api }: CompiledOperation, { plans }: CompiledRelease, { mode }: CompiledStep): string {
  const observeAll = modeOf(rule.modes ?? api.modes, 'plan') === 'observe';
  const said = plans
    .filter((one) => one.rule.requestBytes !== null && one.covers(api.id, rule.id) && (observeAll || one.rule.mode === mode))
    .map((one) => `${one.rule.name}: ${one.rule.requestBytes === 0 ? 'no bodies' : `bodies of at most ${one.rule.requestBytes} bytes`}`)
    .join('; ');
  return said || 'No plan that opens it bounds bodies';
}

/** Limits of one mode, each with what it lets through; those of plans are said at the step before. */
function limitWords({ rule, api, plan }: CompiledOperation, { document }: CompiledRelease, { mode }: CompiledStep): string {
  const observeAll = modeOf(rule.modes ?? api.modes, 'limit') === 'observe';
  const own = [...document.limits, ...api.limits, ...rule.limits].filter((limit) => (observeAll ? 'observe' : limit.mode) === mode);
  const planned = plan.asked && (observeAll || mode === 'enforce' || document.plans.some((one) => one.mode === 'observe'));
  return [...own.map(describeLimit), ...(planned ? ['what its plan allows'] : [])].join('; ');
}

const listed = (values: readonly string[] | string): string => (typeof values === 'string' ? values : values.join(' or '));
const bytes = (value: number | string): string => (typeof value === 'string' ? value : `${value} bytes`);

function laneWords(lane: CompiledLane | null): string {
  const { set = [], added = [], removed = [] } = lane?.said ?? {};
  return [
    set.length > 0 ? `sets ${set.join(', ')}` : '',
    added.length > 0 ? `adds ${added.join(', ')}` : '',
    removed.length > 0 ? `removes ${removed.join(', ')}` : '',
  ]
    .filter(Boolean)
    .join('; ');
}

function claimWords({ clients, claims, maxAgeSeconds, stepUp }: TokenRule): string {
  const asked = [
    ...(clients === 'ANY_CLIENT' ? [] : [`client ${clients.join(' or ')}`]),
    ...(maxAgeSeconds === null ? [] : [`at most ${maxAgeSeconds} s old`]),
    ...claims.map(({ path, values }) => (values === 'ANY_VALUE' ? `${path} there` : `${path} ${values.join(' or ')}`)),
    ...(stepUp?.acrValues.length ? [`sign-in of strength ${stepUp.acrValues.join(' or ')}`] : []),
    ...(stepUp && stepUp.maxAgeSeconds !== null ? [`sign-in at most ${stepUp.maxAgeSeconds} s ago`] : []),
  ];
  return ['Not revoked, its client not switched off', ...asked].join('; ');
}
