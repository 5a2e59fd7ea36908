import { PUBLIC_KEY_ALGORITHMS } from '../document/algorithms.js';
import type { CodeEntry } from '../verdict/code-entry.js';
import { entryOf, type Finding } from '../verdict/codes.js';
import { corsHeaders } from './preflight-step.js';
import type { CredentialScheme, Exchange } from './exchange.js';

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
  const headers: Record<string, string> = corsHeaders(exchange);
  if (entry.status === null) return { status: 204, headers, body: null };
  headers['cache-control'] = 'no-store';
  const challenge = challengeOf(found, exchange, context);
  if (challenge !== null) headers['www-authenticate'] = challenge;
  if (context.nonce) headers['dpop-nonce'] = context.nonce;
  if (entry.status === 405) headers['allow'] = exchange.allowedMethods.join(', ');
  if (entry.status === 503) headers['retry-after'] = '5';
  const problem = {
    type: `urn:virga:problem:${problemKind(entry)}`,
    title: entry.title,
    status: entry.status,
    instance: `urn:virga:request:${context.requestId}`,
  };
  headers['content-type'] = 'application/problem+json';
  return { status: entry.status, headers, body: JSON.stringify(problem) };
}

/** The kind of problem that callers see. Coarser than the code: which check refused a token is for operators. */
function problemKind(entry: CodeEntry): string {
  if (entry.challenge !== 'none' && entry.challenge !== 'bare') return entry.challenge;
  const kinds: Readonly<Record<number, string>> = {
    401: 'credential-needed',
    403: 'not-permitted',
    404: 'not-found',
    405: 'method-not-allowed',
    502: 'upstream',
    503: 'unavailable',
    504: 'upstream',
  };
  return kinds[entry.status ?? 0] ?? (entry.status === 500 ? 'fault' : 'bad-request');
}

function challengeOf(found: Finding, exchange: Exchange, context: AnswerContext): string | null {
  const entry = entryOf(found.code);
  if (entry.challenge === 'none') return null;
  const parts: string[] = [];
  const api = exchange.api;
  if (api) parts.push(`realm="${quoted(api.rule.name)}"`);
  if (entry.challenge !== 'bare') {
    parts.push(`error="${entry.challenge}"`, `error_description="${quoted(entry.title)}"`);
  }
  const { scopes, acrValues, maxAgeSeconds } = found.operands;
  if (entry.challenge === 'insufficient_scope' && Array.isArray(scopes)) parts.push(`scope="${quoted(scopes.join(' '))}"`);
  if (entry.challenge === 'insufficient_user_authentication') {
    if (Array.isArray(acrValues) && acrValues.length > 0) parts.push(`acr_values="${quoted(acrValues.join(' '))}"`);
    if (typeof maxAgeSeconds === 'number') parts.push(`max_age="${maxAgeSeconds}"`);
  }
  if (api) parts.push(`resource_metadata="${quoted(context.publicOrigin + api.metadataPath)}"`);
  return schemesOf(found, exchange)
    .map((scheme) => `${scheme} ${[...parts, ...(scheme === 'DPoP' ? [`algs="${PUBLIC_KEY_ALGORITHMS.join(' ')}"`] : [])].join(', ')}`)
    .join(', ');
}

/** The schemes to name: the one that was used, DPoP where it alone is taken or its proof was wrong (RFC 9449 section 7.1). */
function schemesOf(found: Finding, exchange: Exchange): readonly CredentialScheme[] {
  const { challenge } = entryOf(found.code);
  if (challenge === 'invalid_dpop_proof' || challenge === 'use_dpop_nonce' || exchange.operation?.token.dpop === 'required') return ['DPoP'];
  if (found.code === 'proof.bound-as-bearer') return ['Bearer', 'DPoP'];
  return [exchange.scheme];
}

/** Only what a quoted string of RFC 6750 section 3 may hold: printable ASCII without quote and backslash. */
const quoted = (text: string): string => text.replace(/[^\x20\x21\x23-\x5b\x5d-\x7e]/g, '?');
