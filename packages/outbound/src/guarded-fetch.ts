import { Agent, request } from 'undici';
import { readBody } from './read-body.js';
import { checkUrl, guardedLookup, OutboundError, type ReachPolicy } from './address-guard.js';

export interface FetchLimits {
  readonly maxBytes: number;
  readonly timeoutMs: number;
  readonly maxRedirects: number;
}

export const DOCUMENT_LIMITS: FetchLimits = { maxBytes: 512 * 1024, timeoutMs: 5000, maxRedirects: 0 };
/** Key sets may have hundreds of keys, with their certificates. */
export const KEY_SET_LIMITS: FetchLimits = { ...DOCUMENT_LIMITS, maxBytes: 2 * 1024 * 1024 };

/** A fetched text. `cacheSeconds` is what Cache-Control allows (RFC 9111 section 5.2.2.1); null when it says nothing. */
export interface Fetched {
  readonly url: string;
  readonly status: number;
  readonly text: string;
  readonly cacheSeconds: number | null;
}

/**
 * Fetches a text from outside, bounded in size, time and redirects, and only from where the policy allows. Each
 * redirect is checked like the first address.
 * @throws OutboundError in words for an operator
 */
export async function guardedFetch(address: string, policy: ReachPolicy, limits: FetchLimits = DOCUMENT_LIMITS): Promise<Fetched> {
  const agent = new Agent({ connect: { lookup: guardedLookup(policy), timeout: limits.timeoutMs }, pipelining: 0 });
  const signal = AbortSignal.timeout(limits.timeoutMs);
  try {
    return await followUrl(new URL(address), policy, limits, agent, signal);
  } catch (error) {
    throw inWords(error, address, limits.timeoutMs);
  } finally {
    void agent.destroy();
  }
}

async function followUrl(start: URL, policy: ReachPolicy, limits: FetchLimits, agent: Agent, signal: AbortSignal): Promise<Fetched> {
  let url = start;
  for (let hop = 0; ; hop++) {
    checkUrl(url, policy);
    const answer = await request(url, { dispatcher: agent, signal, method: 'GET', headers: { accept: 'application/json, */*;q=0.5' } });
    const location = answer.headers['location'];
    if (answer.statusCode >= 300 && answer.statusCode < 400 && typeof location === 'string') {
      await answer.body.dump();
      if (hop >= limits.maxRedirects) throw new OutboundError(`${url.href} redirects to ${location.slice(0, 200)}, which is not followed`);
      url = new URL(location, url);
      continue;
    }
    const text = await readBody(answer, url.href, limits.maxBytes);
    if (text === null) throw new OutboundError(`${url.href} sent bytes that are no UTF-8 (RFC 8259 section 8.1)`);
    return { url: url.href, status: answer.statusCode, text, cacheSeconds: maxAge(answer.headers['cache-control']) };
  }
}

function maxAge(header: string | string[] | undefined): number | null {
  const text = Array.isArray(header) ? header.join(',') : (header ?? '');
  if (/\bno-(store|cache)\b/i.test(text)) return 0;
  const seconds = /\bmax-age=(\d{1,9})\b/i.exec(text)?.[1];
  return seconds === undefined ? null : Number(seconds);
}

type FetchError = Error & { code?: string; cause?: Error };

/** A failed call in words for an operator. */
export function inWords(thrown: unknown, address: string, timeoutMs: number): OutboundError {
  if (thrown instanceof OutboundError) return thrown;
  const error = thrown as FetchError;
  if (error.cause instanceof OutboundError) return error.cause;
  if (error.name === 'TimeoutError' || error.name === 'AbortError') return new OutboundError(`${address} did not answer within ${timeoutMs} ms`);
  switch (error.code) {
    case 'ECONNREFUSED':
      return new OutboundError(`nothing listens at ${address}`);
    case 'ENOTFOUND':
    case 'EAI_AGAIN':
      return new OutboundError(`the host name of ${address} is not known`);
    case 'UND_ERR_CONNECT_TIMEOUT':
      return new OutboundError(`${address} did not take the connection in time`);
    default:
      return new OutboundError(`${address} could not be fetched: ${error.message || error.code || error.name}`);
  }
}

/** A dispatcher that connects only where the policy allows, for libraries that bring their own requests. */
export function guardedDispatcher(policy: ReachPolicy, timeoutMs: number): Agent {
  return new Agent({ connect: { lookup: guardedLookup(policy), timeout: timeoutMs }, headersTimeout: timeoutMs, bodyTimeout: timeoutMs });
}
