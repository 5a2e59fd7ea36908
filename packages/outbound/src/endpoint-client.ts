import { Agent, request } from 'undici';
import { checkUrl, guardedLookup, type ReachPolicy } from './address-guard.js';
import { readBody } from './read-body.js';
import { inWords } from './guarded-fetch.js';

/** An answer of an endpoint, read whole. */
export interface EndpointAnswer {
  readonly status: number;
  /** Null for bytes that are no UTF-8. */
  readonly text: string | null;
}

export interface EndpointRequest {
  readonly method: 'GET' | 'POST';
  readonly headers: Readonly<Record<string, string>>;
  readonly body?: string;
}

const MAX_BYTES = 256 * 1024;

/**
 * Calls one endpoint again and again over connections that are kept. Bounded in size and time; follows no redirect,
 * because a credential travels along.
 */
export class EndpointClient {
  readonly #url: URL;
  readonly #policy: ReachPolicy;
  readonly #timeoutMs: number;
  readonly #agent: Agent;

  constructor(address: string, policy: ReachPolicy, timeoutMs: number) {
    this.#url = new URL(address);
    this.#policy = policy;
    this.#timeoutMs = timeoutMs;
    this.#agent = new Agent({ connect: { lookup: guardedLookup(policy), timeout: timeoutMs }, pipelining: 1, connections: 32, keepAliveTimeout: 10_000 });
  }

  /** @throws OutboundError in words for an operator */
  async call(ask: EndpointRequest): Promise<EndpointAnswer> {
    try {
      checkUrl(this.#url, this.#policy);
      const answer = await request(this.#url, { dispatcher: this.#agent, signal: AbortSignal.timeout(this.#timeoutMs), ...ask });
      return { status: answer.statusCode, text: await readBody(answer, this.#url.href, MAX_BYTES) };
    } catch (error) {
      throw inWords(error, this.#url.href, this.#timeoutMs);
    }
  }

  async close(): Promise<void> {
    await this.#agent.destroy();
  }
}
