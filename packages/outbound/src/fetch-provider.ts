import { issuerProblem, readDiscovery, readKeySet, readTypedJson, wellKnownUrls, type Discovery, type ReadKeySet } from '@virga/core';
import { OutboundError, type ReachPolicy } from './address-guard.js';
import { guardedFetch, KEY_SET_LIMITS } from './guarded-fetch.js';

/** What is needed to ask a provider about itself. */
export type ProviderAddress = ReachPolicy & { readonly issuer: string };

export interface FetchedKeys extends ReadKeySet {
  /** How long the answer may be kept, seconds; null when it did not say. */
  readonly cacheSeconds: number | null;
}

/** What was asked while looking for a provider's metadata, and what came of it. */
export interface DiscoveryAttempt {
  readonly url: string;
  readonly result: string;
}

export interface FoundDiscovery {
  readonly discovery: Discovery;
  readonly attempts: readonly DiscoveryAttempt[];
}

/**
 * Finds a provider's metadata under both well-known forms (OpenID Connect Discovery 1.0 section 4, RFC 8414 section 3).
 * @throws OutboundError that says what each attempt met
 */
export async function fetchDiscovery(provider: ProviderAddress): Promise<FoundDiscovery> {
  const problem = issuerProblem(provider.issuer);
  if (problem !== null) throw new OutboundError(problem);
  const attempts: DiscoveryAttempt[] = [];
  for (const url of wellKnownUrls(provider.issuer)) {
    const result = await attempt(url, provider);
    if (typeof result !== 'string') {
      attempts.push({ url, result: 'read' });
      return { discovery: result, attempts };
    }
    attempts.push({ url, result });
  }
  const first = attempts[0]?.result ?? '';
  const same = attempts.every((item) => item.result === first);
  throw new OutboundError(same ? first : attempts.map((item) => `${item.url}: ${item.result}`).join('; '));
}

async function attempt(url: string, provider: ProviderAddress): Promise<Discovery | string> {
  try {
    const fetched = await guardedFetch(url, provider);
    if (fetched.status !== 200) return `answered ${fetched.status}`;
    const read = readDiscovery(parse(fetched.text, url), provider.issuer);
    return 'reason' in read ? `${read.member ? `${read.member}: ` : ''}${read.reason}` : read;
  } catch (error) {
    // Each attempt is told with its address already.
    return (error as Error).message.replace(`${url} `, '');
  }
}

/**
 * Fetches and reads a provider's key set.
 * @throws OutboundError when it cannot be fetched or holds no key that can be used
 */
export async function fetchKeys(jwksUri: string, provider: ReachPolicy): Promise<FetchedKeys> {
  const fetched = await guardedFetch(jwksUri, provider, KEY_SET_LIMITS);
  if (fetched.status !== 200) throw new OutboundError(`${jwksUri} answered ${fetched.status}`);
  const read = await readKeySet(parse(fetched.text, jwksUri));
  if (!read) throw new OutboundError(`${jwksUri} did not send a key set: a JSON object with a list “keys” (RFC 7517 section 5)`);
  return { ...usable(read), cacheSeconds: fetched.cacheSeconds };
}

/** @throws OutboundError that names every key and why it cannot be used, when none can */
export function usable(read: ReadKeySet | null): ReadKeySet {
  if (!read) throw new OutboundError('there is no key set');
  if (read.keys.length === 0) {
    const reasons = read.refused.map((key) => `${key.kid ?? `key ${key.index}`}: ${key.reason}`).join('; ');
    throw new OutboundError(`the key set has no key that can be used${reasons ? ` (${reasons})` : ''}`);
  }
  return read;
}

/** @throws OutboundError that says what the text is instead of JSON */
function parse(text: string, address: string): unknown {
  if (text.trim() === '') throw new OutboundError(`${address} sent an empty answer`);
  if (/^\s*</.test(text)) throw new OutboundError(`${address} answered with an HTML or XML page, not with JSON; is it the address of a page for people?`);
  const read = readTypedJson(text);
  if (read.kind === 'fault') throw new OutboundError(`${address} sent ${read.says}`);
  return read.value;
}
