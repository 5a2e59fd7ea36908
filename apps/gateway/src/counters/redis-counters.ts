import { standingOf, type Counted, type Demand, type Hold, type Measure, type Standing } from '@virga/core';
import { Redis } from 'ioredis';
import { hash, randomUUID } from 'node:crypto';
import { TAKE_SCRIPT } from './redis-script.js';

/** Bounds on the way to the store, milliseconds. */
export const REDIS_TIMES = {
  connectMs: 1000,
  /** For one request's counting; many may wait before it. */
  commandMs: 1000,
  retryMs: { first: 100, most: 2000 },
  /** What is under way counts for so long unless its node says that it still is. */
  leaseMs: 60_000,
  renewMs: 20_000,
} as const;

const PREFIX = 'virga:';

type Took = (keys: number, ...values: (string | number)[]) => Promise<string[]>;

/** Counters that nodes share, in Redis: one step of the store and one round trip for each request. */
export class RedisCounters {
  readonly #redis: Redis;
  readonly #held = new Map<string, readonly string[]>();
  readonly #renewing: NodeJS.Timeout;
  /** Null for the store's own clock. */
  readonly #clock: (() => number) | null;
  #lastError = 'it does not answer';

  /** @param clock in place of the store's own @throws Error for an address that cannot be read */
  constructor(url: string, clock: (() => number) | null = null) {
    this.#clock = clock;
    this.#redis = new Redis(url, {
      enableOfflineQueue: false,
      maxRetriesPerRequest: 0,
      autoResendUnfulfilledCommands: false,
      connectTimeout: REDIS_TIMES.connectMs,
      commandTimeout: REDIS_TIMES.commandMs,
      retryStrategy: (times: number) => Math.min(REDIS_TIMES.retryMs.most, REDIS_TIMES.retryMs.first * times),
    });
    this.#redis.defineCommand('virgaTake', { lua: TAKE_SCRIPT });
    this.#redis.on('error', (error: Error) => (this.#lastError = wordsOf(error)));
    this.#renewing = setInterval(() => this.#renew(), REDIS_TIMES.renewMs);
    this.#renewing.unref();
  }

  /** Why nothing can be counted here; null when it can. */
  get away(): string | null {
    return this.#redis.status === 'ready' ? null : this.#lastError;
  }

  /** @throws Error when the store does not answer in time */
  async take(demands: readonly Demand[]): Promise<Counted> {
    const id = randomUUID();
    const { refused, states, now } = await this.#run(demands, true, id);
    const standings = demands.map(({ measure }, index): Standing => {
      const { count, counted } = states[index] as State;
      const stands = standingOf(count, measure, now);
      return counted ? { ...stands, over: false } : stands;
    });
    if (refused) return { standings, refused: longestWait(demands, standings), hold: null, where: 'together' };
    const keys = demands.flatMap((demand, index) => (demand.measure.kind === 'at-once' && states[index]?.counted ? [keyOf(demand)] : []));
    return { standings, refused: -1, hold: keys.length === 0 ? null : this.#hold(id, keys), where: 'together' };
  }

  /** @throws Error when the store does not answer in time */
  async look(demands: readonly Omit<Demand, 'mode'>[]): Promise<Standing[]> {
    const { states, now } = await this.#run(
      demands.map((demand) => ({ ...demand, mode: 'observe' as const })),
      false,
      '',
    );
    return demands.map(({ measure }, index) => standingOf((states[index] as State).count, measure, now));
  }

  /**
   * Whether nobody has said this before, at any node, for so many milliseconds.
   * @throws Error when the store does not answer in time, or in another form
   */
  async first(key: string, forMs: number): Promise<boolean> {
    const answer: unknown = await this.#redis.set(PREFIX + hash('sha256', key, 'base64url'), '1', 'PX', Math.max(1, Math.ceil(forMs)), 'NX');
    if (answer !== 'OK' && answer !== null) throw new Error('it answered in a form that cannot be read');
    return answer === 'OK';
  }

  async #run(demands: readonly Demand[], take: boolean, id: string): Promise<Ran> {
    const command = (this.#redis as unknown as { readonly virgaTake: Took }).virgaTake.bind(this.#redis);
    const values = demands.flatMap(({ measure, mode }) => [...valuesOf(measure), mode === 'enforce' ? 1 : 0]);
    const answer = await command(demands.length, ...demands.map(keyOf), this.#clock?.() ?? -1, take ? 1 : 0, id, REDIS_TIMES.leaseMs, ...values);
    return readAnswer(answer, demands.length);
  }

  #hold(id: string, keys: readonly string[]): Hold {
    this.#held.set(id, keys);
    return {
      release: () => {
        if (!this.#held.delete(id)) return;
        for (const key of keys) this.#redis.zrem(key, id).catch(() => undefined);
      },
    };
  }

  /** Says of all that is under way that it still is. */
  #renew(): void {
    if (this.#redis.status !== 'ready') return;
    const until = (this.#clock?.() ?? Date.now()) + REDIS_TIMES.leaseMs;
    for (const [id, keys] of this.#held) for (const key of keys) this.#redis.zadd(key, 'XX', until, id).catch(() => undefined);
  }

  close(): void {
    clearInterval(this.#renewing);
    this.#redis.disconnect();
  }
}

interface State {
  readonly count: { readonly at: number; readonly used: number; readonly before: number };
  readonly counted: boolean;
}

interface Ran {
  readonly now: number;
  readonly refused: boolean;
  readonly states: readonly State[];
}

/** @throws Error for an answer that has not its form: what cannot be read counts as not counted */
function readAnswer(answer: unknown, demands: number): Ran {
  if (!Array.isArray(answer) || answer.length !== 2 + demands * 4) throw new Error('it answered in a form that cannot be read');
  const numbers = answer.map(Number);
  if (!numbers.every(Number.isFinite)) throw new Error('it answered in a form that cannot be read');
  const at = (index: number): number => numbers[index] as number;
  return {
    now: at(0),
    refused: at(1) === 1,
    states: Array.from({ length: demands }, (_, index) => {
      const from = 2 + index * 4;
      return { count: { at: at(from), used: at(from + 1), before: at(from + 2) }, counted: at(from + 3) === 1 };
    }),
  };
}

function longestWait(demands: readonly Demand[], standings: readonly Standing[]): number {
  let found = -1;
  demands.forEach(({ mode }, index) => {
    const stands = standings[index] as Standing;
    if (mode === 'enforce' && stands.over && (found < 0 || stands.waitMs > (standings[found] as Standing).waitMs)) found = index;
  });
  if (found < 0) throw new Error('it refused without a reason');
  return found;
}

/** What is counted by may tell who somebody is, and may be long: the store sees a digest. */
const keyOf = ({ group, subject }: Pick<Demand, 'group' | 'subject'>): string => PREFIX + hash('sha256', `${group}\n${subject}`, 'base64url');

function valuesOf(measure: Measure): readonly (string | number)[] {
  switch (measure.kind) {
    case 'bucket':
      return [measure.kind, measure.requests, measure.spanMs, measure.burst];
    case 'calendar':
      return [measure.kind, measure.requests, measure.until, measure.from];
    case 'at-once':
      return [measure.kind, measure.requests, 0, 0];
    default:
      return [measure.kind, measure.requests, measure.spanMs, 0];
  }
}

/** Never the address: it may hold a password. */
export function wordsOf(error: unknown): string {
  const { code, message } = error as NodeJS.ErrnoException;
  if (code === 'ECONNREFUSED') return 'nothing listens there';
  if (/timed out/i.test(message)) return 'it does not answer in time';
  if (/WRONGPASS|NOAUTH/.test(message)) return 'it does not take the password';
  return message.length > 0 && message.length < 120 && !message.includes('//') ? message : 'it does not answer';
}
