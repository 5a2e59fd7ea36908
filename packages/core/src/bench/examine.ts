import type { CompiledOperation, CompiledRelease } from '../decision/compiled.js';
import { decide } from '../decision/decide.js';
import { Exchange, type HeaderFields } from '../decision/exchange.js';
import { takesOpaqueTokens } from '../document/provider-rule.js';
import { compileProve, type TokenContext } from '../decision/token-step.js';
import { placeCredentials } from '../credential/place-credential.js';
import type { TokenPlace } from '../document/token-rule.js';
import { joinedClient } from '../credential/joined-client.js';
import type { Ports } from '../decision/ports.js';
import type { StepId } from '../verdict/code-entry.js';
import { entryOf, finding, type Finding } from '../verdict/codes.js';
import { TOKEN_CHECKS } from '../token/check-claims.js';
import { readToken, UnreadToken, type ReadToken } from '../token/read-token.js';
import { HEADER_CHECKS, unreadFinding, verifyGenuine, vouched, type TrustedProvider } from '../token/verify-token.js';
import type { VerifiedToken } from '../token/verified-token.js';
import { passedCheck, type CheckId, type TokenCheckId } from './check-words.js';
import { stranger } from './stranger.js';

/** A token held against one operation. */
export interface ExamineRequest {
  readonly credential: string;
  readonly operation: CompiledOperation;
  readonly basePath: string;
  /** Other header fields, such as a DPoP proof. Names in lower case. */
  readonly headers: HeaderFields;
  readonly origin: string;
  readonly certificate: string | null;
  /** An API key that goes along, in every place where the operation looks for one; null for none. */
  readonly key: string | null;
}

export interface CheckReport {
  readonly id: CheckId;
  readonly step: StepId;
  readonly finding: Finding;
  /** Whether the gateway stops here. */
  readonly decides: boolean;
}

export interface Examination {
  /** What the gateway decides, by its own function. */
  readonly verdict: Finding;
  readonly exchange: Exchange;
  /** Every check, in the order of the gateway, those behind the first refusal included. */
  readonly checks: readonly CheckReport[];
  /** The principal that the claim map makes of the token, proved or not; null when the token cannot be read. */
  readonly token: VerifiedToken | null;
}

type Draft = Omit<CheckReport, 'decides'>;

/**
 * Holds a token against an operation, check by check, and runs the gateway's own decision beside it. The single checks
 * are the very functions that the decision calls; all of them are run, so that one mistake does not hide the next.
 */
export async function examine(release: CompiledRelease, request: ExamineRequest): Promise<Examination> {
  const context: TokenContext = { verifier: release.verifier, cache: release.tokenCache, providers: release.providersById, ports: release.ports };
  const { operation } = request;
  const exchange = exchangeFor(request);
  const decided = await decide(release, exchange);
  const drafts: Draft[] = [];
  const beside = await checkBeside(operation, exchange);
  const token = operation.rights === null ? null : await collect(context, request, exchange, drafts);
  drafts.push(...beside);
  const deciding = drafts.find(({ finding: { code } }) => code === decided.finding.code && entryOf(code).says === 'fails');
  return {
    verdict: decided.finding,
    exchange,
    checks: drafts.map((draft) => ({ ...draft, decides: draft === deciding })),
    token,
  };
}

/** A request to the operation as a caller would send it: parameters of the path get a value of one letter. */
function exchangeFor({ credential, operation, basePath, headers, origin, certificate, key }: ExamineRequest): Exchange {
  const target = `${basePath}${operation.rule.path.replace(/\{[^{}]+\}/g, 'x')}`;
  const [place] = operation.token.places;
  const proven = headers['dpop'] !== undefined && place?.kind === 'header' && place.scheme?.toLowerCase() === 'bearer';
  const sent = place === undefined ? [] : [{ place: proven ? { ...place, scheme: 'DPoP' } : place, text: credential }];
  const keys = key === null ? [] : keyPlaces(operation).map((at) => ({ place: at, text: key }));
  const placed = placeCredentials([...sent, ...keys]);
  return new Exchange({ method: operation.rule.method, target: target + placed.query, headers: { ...headers, ...placed.headers }, origin, certificate });
}

/** Where the operation looks for keys. */
function keyPlaces({ access, api }: CompiledOperation): TokenPlace[] {
  if (access.kind !== 'required') return [];
  const asked = new Set(access.alternatives.flatMap((alternative) => alternative.map((requirement) => requirement.scheme)));
  return api.schemes.flatMap(({ name, place }) => (place !== null && asked.has(name) ? [place] : []));
}

const BESIDE = ['key', 'basic', 'certificate'] as const;

/** What the steps say that prove callers by something other than a token, as the gateway found it or, where it did not come so far, found now. */
async function checkBeside({ fallLine }: CompiledOperation, exchange: Exchange): Promise<Draft[]> {
  const drafts: Draft[] = [];
  const taken = [...exchange.steps];
  for (const { step, run } of fallLine) {
    const id = BESIDE.find((one) => one === step);
    if (id === undefined) continue;
    const at = taken.findIndex((record) => record.step === step);
    const [record] = at < 0 ? [] : taken.splice(at, 1);
    drafts.push({ id, step, finding: record?.finding ?? (await run(exchange)) });
  }
  return drafts;
}

async function collect(context: TokenContext, request: ExamineRequest, exchange: Exchange, drafts: Draft[]): Promise<VerifiedToken | null> {
  const { operation } = request;
  const { rights } = operation;
  const add = (id: TokenCheckId, step: StepId, found: Finding | null, token: VerifiedToken | null) =>
    drafts.push({ id, step, finding: found ?? passedCheck(id, token, operation, context.ports.now()) });
  const stopped = exchange.steps.find((record) => record.step === 'credential' && record.outcome !== 'pass' && entryOf(record.finding.code).says === 'fails');
  if (stopped) {
    add('credential', 'credential', stopped.finding, null);
    return null;
  }
  const proved = await prove(context, request, add);
  if (proved === null || rights === null) return null;
  const { token, genuine } = proved;
  const accepted = [...rights.providers].map((id) => context.providers.get(id)?.rule.name ?? id);
  const foreign = genuine && !rights.providers.has(token.provider.id);
  add('provider', 'token', foreign ? finding('token.issuer-not-accepted', { provider: token.provider.name, accepted }) : null, token);
  const now = context.ports.now();
  for (const check of TOKEN_CHECKS) add(check.id, 'token', check.run(token, operation.token, now), token);
  add('proof', 'proof', await stepOf({ operation, ports: context.ports }, exchange, token, 'proof'), token);
  for (const check of operation.claimChecks) add(check.id, 'claims', check.run(token, now), token);
  add('rights', 'rights', await stepOf({ operation, ports: context.ports }, exchange, token, 'rights'), token);
  return token;
}

type Add = (id: TokenCheckId, step: StepId, found: Finding | null, token: VerifiedToken | null) => void;

/** Form, header and signature, or the word of a provider that is asked. `genuine` is false for what is only read. */
async function prove(context: TokenContext, { credential, operation }: ExamineRequest, add: Add): Promise<{ token: VerifiedToken; genuine: boolean } | null> {
  const read = readToken(credential);
  if (read instanceof UnreadToken || isAsked(context, operation, read)) {
    if (read instanceof UnreadToken && read.kind !== 'opaque' && read.kind !== 'encrypted') {
      add('form', 'token', unreadFinding(read), null);
      return null;
    }
    const rights = operation.rights;
    if (rights === null) return null;
    const result = await compileProve(rights, operation.token, context)(credential, context.ports.digest(credential));
    const refused = 'code' in result;
    add(read instanceof UnreadToken && read.kind === 'encrypted' ? 'decryption' : 'introspection', 'token', refused ? result : null, refused ? null : result);
    return refused ? null : { token: result, genuine: true };
  }
  add('form', 'token', null, null);
  let clean = true;
  for (const check of HEADER_CHECKS) {
    const wrong = check.run(read, context.verifier);
    if (wrong) clean = false;
    add(check.id, 'token', wrong, vouched(trustedOf(context, read), read, 0, null));
  }
  if (clean) {
    const result = await verifyGenuine(credential, read, context.verifier, null);
    if (!('code' in result)) {
      add('signature', 'token', null, result);
      return { token: result, genuine: true };
    }
    add('signature', 'token', result, null);
  } else add('signature', 'token', finding('bench.check-unknown', { because: 'no key is chosen before the checks above pass' }), null);
  return { token: vouched(trustedOf(context, read), read, 0, null), genuine: false };
}

const isAsked = (context: TokenContext, operation: CompiledOperation, read: ReadToken): boolean =>
  [...context.providers.values()].some(
    ({ rule }) => takesOpaqueTokens(rule) && rule.issuer === read.claims['iss'] && operation.rights?.providers.has(rule.id) === true,
  );

const trustedOf = (context: TokenContext, read: ReadToken): TrustedProvider =>
  context.verifier.byIssuer.get(String(read.claims['iss'])) ?? stranger(String(read.claims['iss'] ?? ''));

/** A step as the gateway found it; where it did not come so far, found now by the same step. */
async function stepOf(
  { operation, ports }: { readonly operation: CompiledOperation; readonly ports: Ports },
  exchange: Exchange,
  token: VerifiedToken,
  id: StepId,
): Promise<Finding | null> {
  const taken = exchange.steps.find((record) => record.step === id);
  if (taken) return taken.finding;
  const step = operation.fallLine.find((item) => item.step === id);
  if (!step) return null;
  if (exchange.token === null) exchange.proved({ kind: 'token', scheme: exchange.tokenScheme, token, holder: joinedClient(token, ports.directory()) });
  return step.run(exchange);
}
