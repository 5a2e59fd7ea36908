import { compileRights } from '../access/check-rights.js';
import { compileAddresses } from '../decision/address-step.js';
import { compileAuthorizers, type CompiledAuthorizer } from '../decision/authorizer-step.js';
import { compileConditions } from '../decision/condition-step.js';
import { compileClaimChecks, compileClaimsStep } from '../decision/claims-step.js';
import { compileBasicStep } from '../decision/basic-step.js';
import { compileCertificateStep } from '../decision/certificate-step.js';
import type { Check, CompiledApi, CompiledLine, CompiledStep } from '../decision/compiled.js';
import { compileCredentialStep } from '../decision/credential-step.js';
import { compileKeyStep } from '../decision/key-step.js';
import { compileProofStep } from '../decision/proof-step.js';
import { compileRightsStep } from '../decision/rights-step.js';
import { compileTokenStep, type TokenContext } from '../decision/token-step.js';
import type { ConditionRule, ConditionUse } from '../document/condition-rule.js';
import type { AddressRule, NetworkRule } from '../document/address-rule.js';
import type { AccessRule } from '../document/access-rule.js';
import { compileMessage } from '../decision/message-steps.js';
import type { MessageRule } from '../document/message-rule.js';
import { modeOf, type ModedCheck, type ModeRule } from '../document/modes.js';
import type { ApiRule, OperationRule } from '../document/release-document.js';
import { BEARER_HEADER, type TokenPlace, type TokenRule } from '../document/token-rule.js';
import type { GuessingRule, LimitRule } from '../document/limit-rule.js';
import type { PlanUse } from '../document/plan-rule.js';
import { compileGuessStep, countingFailures } from '../decision/guess-step.js';
import type { KnownPlans } from '../decision/plan-step.js';
import { agreedSteps } from './agreed-steps.js';
import type { CompiledLimit } from '../limit/compile-plan.js';
import { contractInForce, type ContractRule } from '../document/contract-rule.js';
import { compileContract } from '../decision/contract-steps.js';
import { compileSensitive, joinNeeds } from '../decision/sensitive-steps.js';
import type { Detector } from '../sensitive/detector.js';
import { LATER_PHASES, type LaterPhase, type Needs } from '../decision/phases.js';
import { finding } from '../verdict/codes.js';

/** Steps run as they are where nothing is supposed. */
export const asItIs = (step: CompiledStep): CompiledStep => step;

/** @param lines those made already for this API: operations with equal rules share them */
export function lineOf(
  rule: OperationRule,
  parameters: readonly string[],
  { rule: api, pointer: owner }: Pick<CompiledApi, 'rule' | 'pointer'>,
  pointer: string,
  context: LineContext,
  lines: Map<string, CompiledLine>,
): CompiledLine {
  // Most operations of most APIs take its rules as they are.
  const own =
    rule.access !== null ||
    rule.token !== null ||
    rule.message !== null ||
    rule.modes !== null ||
    rule.addresses !== null ||
    rule.conditions !== null ||
    rule.authorizers !== null ||
    rule.contract !== null ||
    rule.plan !== null ||
    rule.limits.length > 0;
  const rules = inForce(rule, api);
  // Conditions are held against the parameters of the operation, so they are shared by those that have the same.
  const names = rules.conditions.length === 0 ? null : parameters;
  const key =
    own || names !== null
      ? JSON.stringify([
          rules.access,
          rule.token,
          rule.message,
          rule.modes,
          rules.addresses,
          rules.conditions,
          rules.authorizers,
          rules.contract,
          rules.plan,
          own && rule.limits.length > 0 ? rule.id : '',
          names,
        ])
      : '';
  let line = lines.get(key);
  if (!line) {
    const conditions = { parameters, label: `${rule.method} ${rule.path}`, at: `${rule.conditions === null ? owner : pointer}/conditions` };
    const authorizers = `${rule.authorizers === null ? owner : pointer}/authorizers`;
    lines.set(key, (line = compileLine(rules, api, { pointer, owner, conditions, authorizers }, context)));
  }
  return line;
}

const inForce = (rule: OperationRule, api: ApiRule): RulesInForce => ({
  access: rule.access ?? api.access,
  token: { ...api.token, ...rule.token },
  message: { ...api.message, ...rule.message },
  modes: rule.modes ?? api.modes,
  addresses: rule.addresses ?? api.addresses,
  conditions: rule.conditions ?? api.conditions,
  authorizers: rule.authorizers ?? api.authorizers,
  contract: contractInForce(api.contract, rule.contract),
  plan: rule.plan ?? api.plan,
  operationId: rule.id,
  limits: rule.limits,
});

/** What stands for an operation, whoever set it. */
interface RulesInForce {
  readonly access: AccessRule;
  readonly token: TokenRule;
  readonly message: MessageRule;
  readonly modes: ModeRule;
  readonly addresses: AddressRule;
  readonly conditions: readonly ConditionUse[];
  readonly authorizers: readonly string[];
  readonly contract: ContractRule;
  readonly plan: PlanUse;
  readonly operationId: string;
  /** The operation's own. */
  readonly limits: readonly LimitRule[];
}

/** Where a line stands. */
interface LinePlace {
  readonly pointer: string;
  /** Where its API stands. */
  readonly owner: string;
  readonly conditions: { readonly parameters: readonly string[]; readonly label: string; readonly at: string };
  /** Where the list of authorizers stands. */
  readonly authorizers: string;
}

/** What lines are compiled with. */
export interface LineContext extends TokenContext {
  readonly networks: readonly NetworkRule[];
  readonly shared: readonly ConditionRule[];
  readonly authorizers: ReadonlyMap<string, CompiledAuthorizer>;
  readonly detector: (id: string) => Detector;
  readonly plans: KnownPlans;
  /** Limits of the gateway. */
  readonly limits: readonly CompiledLimit[];
  readonly guessing: GuessingRule | null;
}

function compileLine(
  rules: RulesInForce,
  api: ApiRule,
  { pointer, owner, conditions: place, authorizers: called }: LinePlace,
  context: LineContext,
): CompiledLine {
  const { access, token, message, modes, addresses, conditions, authorizers, contract, plan } = rules;
  const rights = compileRights(access, api.schemes);
  const { ports } = context;
  const { standIn = asItIs } = ports;
  const {
    head: ahead,
    later,
    needs,
    lanes,
  } = compileMessage(message, api.headers, modes, compileContract(contract, modes), compileSensitive(api.sensitive, modes, context.detector));
  const head = ahead.map(standIn);
  const claimChecks = rights === null ? [] : compileClaimChecks(token, ports, `${pointer}/token`);
  const withheld = withheldPlaces(api, token);
  const passes = authorizers.flatMap((name) => context.authorizers.get(name)?.rule.passes ?? []);
  const asked = { rights, token, claimChecks, withheld, message, addresses, conditions, authorizers, contract, passes, plan };
  const inMode = (check: Check): CompiledStep => standIn({ ...check, mode: modeOf(modes, check.step as ModedCheck) });
  // Where a caller is comes before who it is: nobody outside learns whether a credential is good.
  const where = compileAddresses(addresses, context.networks);
  const first = where === null ? [] : [inMode({ step: 'address', about: null, run: where, hangsOn: { kind: 'address', rule: addresses } })];
  // What a rule asks beyond rights is asked of whoever was proved to call, and may look at what that one may do.
  const attributes = rights === null ? [] : attributesOf(rights.providers, context);
  // Authorizers come last of these: asking them costs most.
  const asks = [
    ...compileConditions(conditions, context.shared, { ...place, scope: { parameters: place.parameters, attributes, tables: null } }, ports),
    ...compileAuthorizers(authorizers, context.authorizers, called, ports),
  ].map(inMode);
  // What reads the body waits until it has come whole, and until all that needs no body has let the request through.
  const ofBody = asks.filter(({ readsBody }) => readsBody === true);
  const then = asks.filter(({ readsBody }) => readsBody !== true);
  const readsBody = ofBody.length > 0;
  // What was agreed with whoever may call comes behind that, and counting comes last: only what would pass counts.
  const agreed = agreedSteps(rules, { apiId: api.id, apiLimits: api.limits, owner, pointer, asksWho: rights !== null }, context, inMode);
  then.push(...agreed.steps);
  const phases = withSizes(mapPhases(later, standIn), agreed.ofBody);
  const shared = { ...asked, readsBody, ...withBodySteps(phases, needs, ofBody, contract.bodyBytes), lanes };
  if (rights === null) return { ...shared, fallLine: [...first, nothingAsked(access), ...then, ...head] };
  const { kinds } = rights;
  // What was sent is found first and proved kind by kind; then what proves possession of a token and what it says. Rights
  // come then, because a right belongs to whoever was proved to call; and what is sent last, so that nobody learns about it
  // who may not send anything.
  const checks: readonly Check[] = [
    compileCredentialStep(rights, token),
    ...(kinds.has('token') ? [compileTokenStep(rights, token, context)] : []),
    ...rights.keys.map((scheme) => compileKeyStep(scheme, ports)),
    ...(kinds.has('basic') ? [compileBasicStep(ports)] : []),
    ...(kinds.has('certificate') ? [compileCertificateStep(ports)] : []),
    ...(kinds.has('token') ? [compileProofStep(token, ports), compileClaimsStep(claimChecks, ports)] : []),
    compileRightsStep(rights),
  ];
  const [found, ...proving] = guarded(checks, context).map(inMode);
  const guess = context.guessing === null ? [] : [standIn({ ...compileGuessStep(context.guessing, ports), mode: context.guessing.mode })];
  return { ...shared, fallLine: [...first, ...(found ? [found] : []), ...guess, ...proving, ...then, ...head] };
}

/** Checks that prove a credential count their failures, where somebody is to be held up by them. */
function guarded(checks: readonly Check[], { guessing, ports }: LineContext): readonly Check[] {
  return guessing === null ? checks : checks.map((check) => (check.about === null ? check : countingFailures(check, guessing, ports)));
}

/** Own members of the claim maps of providers, each once. */
const attributesOf = (ids: ReadonlySet<string>, { providers }: LineContext): readonly string[] => [
  ...new Set([...ids].flatMap((id) => providers.get(id)?.rule.claimMap.attributes.map(({ name }) => name) ?? [])),
];

/**
 * Places whose credentials stay at the gateway: those of the API, whatever the operation looks at, and the usual header, so
 * that a token sent to a public operation stays too. None where the upstream is to see them.
 */
function withheldPlaces(api: ApiRule, token: TokenRule): readonly TokenPlace[] {
  if (api.upstream.sendCredential) return [];
  return [BEARER_HEADER, ...token.places, ...api.schemes.flatMap(({ place }) => place ?? [])];
}

function nothingAsked(access: AccessRule): CompiledStep {
  const found = finding('credential.not-asked', { rule: access.kind });
  return { step: 'credential', about: null, mode: 'enforce', run: () => found };
}

type Later = CompiledLine['later'];

/** The steps that bound the request's body while it comes, before those of the API itself, as on the fall line. */
const withSizes = (later: Later, ofBody: readonly CompiledStep[]): Later =>
  ofBody.length === 0 ? later : { ...later, 'request-body': [...ofBody, ...(later['request-body'] ?? [])] };

/** The steps that read the request's body, behind what the contract says of it. @param limit bytes of it that are read */
function withBodySteps(later: Later, needs: Needs, ofBody: readonly CompiledStep[], limit: number): Pick<CompiledLine, 'later' | 'needs'> {
  if (ofBody.length === 0) return { later, needs };
  // An authorizer is waited for even where it only observes; of a condition that does, nobody waits for the body.
  const hold = ofBody.some(({ mode, step }) => mode === 'enforce' || step === 'authorizer');
  return {
    later: { ...later, 'request-content': [...(later['request-content'] ?? []), ...ofBody] },
    needs: { ...needs, requestContent: joinNeeds(needs.requestContent, { limit, hold, larger: 'pass' }) },
  };
}

const mapPhases = (later: Later, change: (step: CompiledStep) => CompiledStep): Later =>
  Object.fromEntries(LATER_PHASES.map((phase): [LaterPhase, Later[LaterPhase]] => [phase, later[phase]?.map(change) ?? null])) as Later;
