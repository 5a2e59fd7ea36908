import type { ProofKind } from '../credential/sent-credential.js';
import { ANSWER_PARTS, CONTRACT_PARTS } from '../document/contract-rule.js';
import { PUBLIC_KEY_ALGORITHMS } from '../document/algorithms.js';
import type { CodeEntry } from '../verdict/code-entry.js';
import { entryOf, type Finding } from '../verdict/codes.js';
import { corsHeaders } from './preflight-step.js';
import type { Exchange } from './exchange.js';
import { rateFields } from './rate-fields.js';

/** An answer that the gateway gives itself. */
export interface GatewayAnswer {
  readonly status: number;
  readonly headers: Readonly<Record<string, string>>;
  readonly body: string | null;
}

/** What the answer is written for: the public address of the gateway, without a slash at the end, and the request's id. */
export interface AnswerContext {
  readonly publicOrigin: string;
  readonly requestId: string;
  /** A nonce to hand out with the answer (RFC 9449 section 9); null or left out where none is asked for. */
  readonly nonce?: string | null;
}

/**
 * Turns a finding into what the caller is told: a problem document (RFC 9457) with the code's public title only,
 * and `WWW-Authenticate` as in RFC 6750 section 3 with the resource metadata of RFC 9728 section 5.1.
 */
export function answerOf(found: Finding, exchange: Exchange, context: AnswerContext): GatewayAnswer {
  const entry = entryOf(found.code);
  const headers: Record<string, string> = { ...corsHeaders(exchange) };
  if (entry.status === null) return { status: 204, headers, body: null };
  headers['cache-control'] = 'no-store';
  const challenge = challengeOf(found, exchange, context);
  if (challenge !== null) headers['www-authenticate'] = challenge;
  if (context.nonce) headers['dpop-nonce'] = context.nonce;
  if (entry.status === 405) headers['allow'] = exchange.allowedMethods.join(', ');
  if (found.code === 'contract-type.differs' && found.operands.name === 'Content-Type')
    headers['accept'] = quoted(exchange.operation?.contract?.contentTypes?.join(', ') ?? '');
  // RFC 9110 section 12.5.1: which content types would have been taken.
  if (found.code === 'type.not-accepted' || found.code === 'type.missing') headers['accept'] = quoted(found.operands.accepted.join(', '));
  if (entry.status === 503) headers['retry-after'] = '5';
  if (entry.status === 429 && 'waitMs' in found.operands) {
    // RFC 9110 section 10.2.3: whole seconds, after which it is worth asking again.
    headers['retry-after'] = String(Math.max(1, Math.ceil(found.operands.waitMs / 1000)));
    const fields = rateFields(exchange, 'always', true);
    for (let index = 0; index < fields.length; index += 2) headers[fields[index] as string] = fields[index + 1] as string;
  }
  const problem = {
    type: `urn:virga:problem:${problemKind(entry)}`,
    title: entry.title,
    status: entry.status,
    ...reasonOf(found),
    instance: `urn:virga:request:${context.requestId}`,
  };
  headers['content-type'] = 'application/problem+json';
  return { status: entry.status, headers, body: JSON.stringify(problem) };
}

/** What an authorizer lets the caller read. */
function reasonOf({ code, operands }: Finding): { readonly detail?: string; readonly errors?: readonly object[] } {
  if (DIFFERS.has(code) && 'places' in operands && 'wanted' in operands && typeof operands.wanted === 'string')
    return { errors: errorsOf({ ...operands, wanted: operands.wanted }) };
  if (code !== 'authorizer.denied' && code !== 'authorizer.sign-in') return {};
  return operands.told && operands.reason !== '' ? { detail: operands.reason } : {};
}

/** What of a request differs from the contract: the contract is the caller's too, what an upstream answers is not. */
const DIFFERS: ReadonlySet<Finding['code']> = new Set<Finding['code']>(
  CONTRACT_PARTS.filter((part) => !ANSWER_PARTS.has(part) && part !== 'contract-security').map((part) => `${part}.differs` as Finding['code']),
);

/** Places with a JSON Pointer as a fragment (RFC 9457 section 3.1.4 shows the form), the first with what is wanted. */
const errorsOf = ({ wanted, places }: { readonly wanted: string; readonly places: readonly string[] }): readonly object[] =>
  places.map((place, index) => {
    const [name = '', at] = place === '' || place.startsWith('/') ? ['', place] : place.split(' ');
    return { ...(index === 0 ? { detail: wanted } : {}), ...(name === '' ? {} : { parameter: name }), ...(at === undefined ? {} : { pointer: `#${at}` }) };
  });

/** The kind of problem that callers see. Coarser than the code: which check refused a token is for operators. */
function problemKind(entry: CodeEntry): string {
  if (entry.challenge !== 'none' && entry.challenge !== 'bare') return entry.challenge;
  const kinds: Readonly<Record<number, string>> = {
    401: 'credential-needed',
    403: 'not-permitted',
    404: 'not-found',
    405: 'method-not-allowed',
    413: 'body-too-large',
    411: 'length-needed',
    415: 'content-type',
    429: 'too-many-requests',
    502: 'upstream',
    503: 'unavailable',
    504: 'upstream',
  };
  return kinds[entry.status ?? 0] ?? (entry.status === 500 ? 'fault' : 'bad-request');
}

function challengeOf(found: Finding, exchange: Exchange, context: AnswerContext): string | null {
  if (entryOf(found.code).challenge === 'none') return null;
  const { api } = exchange;
  const realm = api ? [`realm="${quoted(api.rule.name)}"`] : [];
  return kindsOf(found, exchange)
    .flatMap((kind) => (kind === 'token' ? tokenChallenges(found, exchange, context, realm) : [challengeFor(kind, realm, exchange)]))
    .join(', ');
}

/** What the caller is asked to prove itself with: what was wrong, or all that the operation takes. */
function kindsOf({ code }: Finding, { operation }: Exchange): readonly ProofKind[] {
  const { step, challenge } = entryOf(code);
  if (step === 'key' || step === 'basic' || step === 'certificate') return [step];
  const kinds = operation?.rights ? [...operation.rights.kinds] : [];
  return challenge !== 'bare' || kinds.length === 0 ? ['token'] : kinds;
}

/**
 * The challenge of one kind of proof. Basic is RFC 7617 section 2; no scheme is registered for keys and certificates, and
 * a 401 has to have one (RFC 9110 section 15.5.2), so these say in words what is asked for.
 */
function challengeFor(kind: Exclude<ProofKind, 'token'>, realm: readonly string[], { operation }: Exchange): string {
  if (kind === 'basic') return `Basic ${[...realm, 'charset="UTF-8"'].join(', ')}`;
  if (kind === 'certificate') return `ClientCertificate ${realm.join(', ')}`.trim();
  const places = operation?.rights?.keys.map(({ place }) => `${place.kind} ${place.name}`) ?? [];
  return `ApiKey ${[...realm, ...(places.length > 0 ? [`places="${quoted(places.join(', '))}"`] : [])].join(', ')}`;
}

/** `WWW-Authenticate` for tokens: RFC 6750 section 3, RFC 9449 section 7.1, RFC 9470 section 3, RFC 9728 section 5.1. */
function tokenChallenges(found: Finding, exchange: Exchange, context: AnswerContext, realm: readonly string[]): string[] {
  const entry = entryOf(found.code);
  const parts = [...realm];
  if (entry.challenge !== 'bare') parts.push(`error="${entry.challenge}"`, `error_description="${quoted(entry.title)}"`);
  if (found.code === 'rights.scope-missing') parts.push(`scope="${quoted(found.operands.scopes.join(' '))}"`);
  if (found.code === 'claims.step-up') {
    const { acrValues, maxAgeSeconds } = found.operands;
    if (acrValues.length > 0) parts.push(`acr_values="${quoted(acrValues.join(' '))}"`);
    if (maxAgeSeconds !== null) parts.push(`max_age="${maxAgeSeconds}"`);
  }
  if (exchange.api) parts.push(`resource_metadata="${quoted(context.publicOrigin + exchange.api.metadataPath)}"`);
  return tokenSchemes(found, exchange).map(
    (scheme) => `${scheme} ${[...parts, ...(scheme === 'DPoP' ? [`algs="${PUBLIC_KEY_ALGORITHMS.join(' ')}"`] : [])].join(', ')}`,
  );
}

/** The schemes to name: the one that was used, DPoP where it alone is taken or its proof was wrong (RFC 9449 section 7.1). */
function tokenSchemes(found: Finding, exchange: Exchange): readonly string[] {
  const { challenge } = entryOf(found.code);
  if (challenge === 'invalid_dpop_proof' || challenge === 'use_dpop_nonce' || exchange.operation?.token.dpop === 'required') return ['DPoP'];
  if (found.code === 'proof.bound-as-bearer') return ['Bearer', 'DPoP'];
  return [exchange.tokenScheme];
}

/** Only what a quoted string of RFC 6750 section 3 may hold: printable ASCII without quote and backslash. */
const quoted = (text: string): string => text.replace(/[^\x20\x21\x23-\x5b\x5d-\x7e]/g, '?');
