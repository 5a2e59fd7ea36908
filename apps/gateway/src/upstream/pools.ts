import { UPSTREAM_LIMITS, type UpstreamLimits, type UpstreamRule } from '@virga/core';
import { buildConnector, Pool } from 'undici';
import { Berths } from './berths.js';
import { skipContinue } from './interim-answers.js';

/** One upstream ready to be called: its pool and the path that its address adds in front. */
export interface Upstream {
  readonly pool: Pool;
  readonly berths: Berths;
  readonly origin: string;
  readonly prefix: string;
  readonly address: string;
  readonly responseTimeoutMs: number;
  readonly limits: UpstreamLimits;
}

interface Kept {
  readonly pool: Pool;
  readonly berths: Berths;
  users: number;
}

/**
 * The pools of all upstreams, shared by releases. A pool is closed when the last release that opened it has given it
 * back, which a release does when its last request has ended: publishing never takes a connection from a request.
 */
export class UpstreamPools {
  readonly #pools = new Map<string, Kept>();

  open(rule: UpstreamRule): Upstream {
    const url = new URL(rule.url);
    const limits = rule.limits ?? UPSTREAM_LIMITS;
    const key = keyOf(rule);
    let kept = this.#pools.get(key);
    if (!kept) {
      kept = { pool: makePool(url.origin, rule.connectTimeoutMs, limits.connections), berths: new Berths(limits), users: 0 };
      this.#pools.set(key, kept);
    }
    kept.users++;
    const { pool, berths } = kept;
    const { responseTimeoutMs } = rule;
    return { pool, berths, origin: url.origin, prefix: url.pathname.replace(/\/$/, ''), address: url.host, responseTimeoutMs, limits };
  }

  /** Gives back what `open` gave for the same rule. */
  release(rule: UpstreamRule): void {
    const key = keyOf(rule);
    const kept = this.#pools.get(key);
    if (!kept || --kept.users > 0) return;
    this.#pools.delete(key);
    void kept.pool.close();
  }

  /** Ends the waiting of those who have waited for long enough. @param now on the clock of the requests */
  tick(now: number): void {
    for (const { berths } of this.#pools.values()) berths.tick(now);
  }

  async close(): Promise<void> {
    await Promise.all([...this.#pools.values()].map(({ pool }) => pool.destroy()));
    this.#pools.clear();
  }
}

const keyOf = (rule: UpstreamRule): string => JSON.stringify([new URL(rule.url).origin, rule.connectTimeoutMs, rule.limits ?? UPSTREAM_LIMITS]);

function makePool(origin: string, connectTimeoutMs: number, connections: number): Pool {
  const connectTo = buildConnector({ timeout: connectTimeoutMs });
  const connect: buildConnector.connector = (options, callback) =>
    connectTo(options, (...result: [Error | null, unknown]) => {
      const [error, socket] = result as Parameters<buildConnector.Callback>;
      if (socket) skipContinue(socket);
      (callback as (...given: unknown[]) => void)(error, socket);
    });
  return new Pool(origin, { connections, pipelining: 1, connect, keepAliveTimeout: 4000 });
}
