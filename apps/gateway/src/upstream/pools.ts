import { Pool } from 'undici';
import type { UpstreamRule } from '@virga/core';

/** Connections kept open to one upstream at most. */
const CONNECTIONS = 128;

/** One upstream ready to be called: its pool and the path that its address adds in front. */
export interface Upstream {
  readonly pool: Pool;
  readonly origin: string;
  readonly prefix: string;
  readonly address: string;
  readonly responseTimeoutMs: number;
}

/** The pools of all upstreams, shared by releases; pools that no release needs any more are closed when they are idle. */
export class UpstreamPools {
  readonly #pools = new Map<string, Pool>();

  open(rule: UpstreamRule): Upstream {
    const url = new URL(rule.url);
    const key = `${url.origin} ${rule.connectTimeoutMs}`;
    let pool = this.#pools.get(key);
    if (!pool) {
      pool = new Pool(url.origin, { connections: CONNECTIONS, pipelining: 1, connect: { timeout: rule.connectTimeoutMs }, keepAliveTimeout: 4000 });
      this.#pools.set(key, pool);
    }
    return { pool, origin: url.origin, prefix: url.pathname.replace(/\/$/, ''), address: url.host, responseTimeoutMs: rule.responseTimeoutMs };
  }

  /** Closes what the rules given do not need. Requests in flight are finished first. */
  keepOnly(rules: readonly UpstreamRule[]): void {
    const wanted = new Set(rules.map((rule) => `${new URL(rule.url).origin} ${rule.connectTimeoutMs}`));
    for (const [key, pool] of this.#pools) {
      if (wanted.has(key)) continue;
      this.#pools.delete(key);
      void pool.close();
    }
  }

  async close(): Promise<void> {
    await Promise.all([...this.#pools.values()].map((pool) => pool.destroy()));
    this.#pools.clear();
  }
}
