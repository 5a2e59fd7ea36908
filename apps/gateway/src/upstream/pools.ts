import type { UpstreamLimits, UpstreamRule } from '@virga/core';
import { buildConnector } from 'undici';
import { Berths } from './berths.js';
import { Connections } from './connections.js';
import { skipContinue } from './interim-answers.js';

/** One upstream ready to be called: its pool and the path that its address adds in front. */
export interface Upstream {
  readonly pools: ConnectionPools;
  readonly berths: Berths;
  readonly origin: string;
  readonly prefix: string;
  readonly address: string;
  readonly responseTimeoutMs: number;
  readonly limits: UpstreamLimits;
}

interface Kept {
  readonly pools: ConnectionPools;
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
    const limits = rule.limits;
    const key = keyOf(rule);
    let kept = this.#pools.get(key);
    if (!kept) {
      kept = { pools: new ConnectionPools(url.origin, rule.connectTimeoutMs), berths: new Berths(limits), users: 0 };
      this.#pools.set(key, kept);
    }
    kept.users++;
    const { pools, berths } = kept;
    const { responseTimeoutMs } = rule;
    return { pools, berths, origin: url.origin, prefix: url.pathname.replace(/\/$/, ''), address: url.host, responseTimeoutMs, limits };
  }

  /** Gives back what `open` gave for the same rule. */
  release(rule: UpstreamRule): void {
    const key = keyOf(rule);
    const kept = this.#pools.get(key);
    if (!kept || --kept.users > 0) return;
    this.#pools.delete(key);
    void kept.pools.close();
  }

  /** Ends the waiting of those who have waited for long enough. @param now on the clock of the requests */
  tick(now: number): void {
    for (const { berths } of this.#pools.values()) berths.tick(now);
  }

  async close(): Promise<void> {
    await Promise.all([...this.#pools.values()].map(({ pools }) => pools.destroy()));
    this.#pools.clear();
  }
}

const keyOf = (rule: UpstreamRule): string => JSON.stringify([new URL(rule.url).origin, rule.connectTimeoutMs, rule.limits]);

/**
 * The connections to one upstream. Those that leave out unasked-for 100 answers are apart, because looking at what a
 * socket reads makes every socket of the process slower: they carry requests with bodies, for which upstreams send such
 * answers, and what is tried once more.
 */
class ConnectionPools {
  readonly plain: Connections;
  readonly patient: Connections;

  constructor(origin: string, connectTimeoutMs: number) {
    this.plain = new Connections(origin, buildConnector({ timeout: connectTimeoutMs }));
    this.patient = new Connections(origin, patientConnector(connectTimeoutMs));
  }

  async close(): Promise<void> {
    await Promise.all([this.plain.close(), this.patient.close()]);
  }

  async destroy(): Promise<void> {
    await Promise.all([this.plain.destroy(), this.patient.destroy()]);
  }
}

function patientConnector(timeout: number): buildConnector.connector {
  const connectTo = buildConnector({ timeout });
  return (options, callback) =>
    connectTo(options, (...result: [Error | null, unknown]) => {
      const [error, socket] = result as Parameters<buildConnector.Callback>;
      if (socket) skipContinue(socket);
      (callback as (...given: unknown[]) => void)(error, socket);
    });
}
