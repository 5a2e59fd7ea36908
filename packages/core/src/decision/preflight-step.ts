import { finding, type Finding } from '../verdict/codes.js';
import type { CorsRule } from '../document/release-document.js';
import type { Exchange } from './exchange.js';

/** A CORS preflight: OPTIONS with an origin and the method asked about (Fetch standard, from memory). */
export function isPreflight(exchange: Exchange): boolean {
  return exchange.method === 'OPTIONS' && exchange.headers['origin'] !== undefined && exchange.headers['access-control-request-method'] !== undefined;
}

export function originAllowed(cors: CorsRule, origin: string): boolean {
  return cors.origins.includes('*') || cors.origins.includes(origin);
}

/** Answers a preflight before any credential check, because a browser sends it without credentials. Null: not a preflight. */
export function preflightStep(cors: CorsRule, exchange: Exchange): Finding | null {
  if (!isPreflight(exchange)) return null;
  const origin = exchange.header('origin') ?? '';
  return originAllowed(cors, origin)
    ? finding('preflight.answered', { origin, method: exchange.header('access-control-request-method') ?? '' })
    : finding('preflight.origin-refused', { origin: origin.slice(0, 200), accepted: [...cors.origins] });
}

/**
 * The CORS headers of an answer, refusals included: without them a browser hides a 401 behind a CORS failure.
 * Names in lower case. Empty when the API has no CORS rule or the origin is not in it.
 */
export function corsHeaders(exchange: Exchange): Readonly<Record<string, string>> | null {
  const cors = exchange.api?.rule.cors;
  if (!cors) return null;
  const origin = exchange.header('origin');
  if (origin === undefined || !originAllowed(cors, origin)) return { vary: 'Origin' };
  const anyone = cors.origins.includes('*') && !cors.credentials;
  const headers: Record<string, string> = { 'access-control-allow-origin': anyone ? '*' : origin, vary: 'Origin' };
  if (cors.credentials) headers['access-control-allow-credentials'] = 'true';
  if (isPreflight(exchange)) {
    headers['access-control-allow-methods'] = exchange.header('access-control-request-method') ?? '';
    headers['access-control-allow-headers'] = cors.requestHeaders.join(', ');
    headers['access-control-max-age'] = String(cors.maxAgeSeconds);
    headers['vary'] = 'Origin, Access-Control-Request-Method, Access-Control-Request-Headers';
  } else if (cors.exposedHeaders.length > 0) headers['access-control-expose-headers'] = cors.exposedHeaders.join(', ');
  return headers;
}
