import { fetch } from 'undici';
import { checkUrl, type ReachPolicy } from './address-guard.js';
import { guardedDispatcher } from './guarded-fetch.js';

const TIMEOUT_MS = 8000;

/** The parts of a fetch call that OAuth libraries use. */
export interface FetchOptions {
  readonly method?: string;
  readonly headers?: Record<string, string>;
  readonly body?: unknown;
  readonly signal?: AbortSignal;
}

/**
 * A fetch function for libraries, guarded like all outgoing calls. Redirects are not followed.
 * @throws OutboundError for addresses that the policy does not allow
 */
export function guardedFetchFunction(policy: ReachPolicy): (url: string, options?: FetchOptions) => Promise<Response> {
  const dispatcher = guardedDispatcher(policy, TIMEOUT_MS);
  return async (url, options = {}) => {
    checkUrl(new URL(url), policy);
    const answer = await fetch(url, {
      dispatcher,
      redirect: 'manual',
      method: options.method ?? 'GET',
      headers: options.headers ?? {},
      body: (options.body ?? null) as string | null,
      signal: AbortSignal.timeout(TIMEOUT_MS),
    });
    return answer;
  };
}
