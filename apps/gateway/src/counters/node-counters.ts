import {
  isRecord,
  MemoryCounters,
  type Awaitable,
  type Counted,
  type Counters,
  type CountingRule,
  type Demand,
  type KeptQuota,
  type Measure,
  type Standing,
  type Uncounted,
} from '@virga/core';
import { SealedLog } from '../snapshot/sealed-log.js';
import { RedisCounters, wordsOf } from './redis-counters.js';

/** How often quotas are written down: what was counted since is lost when the machine loses its power. */
const KEEP_MS = 2000;
/** Quotas of one entry of the log, and of all that were added before it is written anew. */
const ENTRY = 500;
const REWRITE_AFTER = 50_000;

export interface NodeCountersOptions {
  readonly token: string;
  readonly file: string;
  readonly redisUrl: string | null;
  /** How counting goes on while the shared store is away. */
  readonly rule: () => CountingRule;
  readonly log: (text: string) => void;
}

/**
 * Counts requests for a node: together with other nodes where there is a store that they share, by itself where there is none,
 * and while that is away as the release says. Quotas of its own outlive the process.
 */
export class NodeCounters implements Counters {
  readonly #memory = new MemoryCounters();
  readonly #redis: RedisCounters | null;
  readonly #options: NodeCountersOptions;
  readonly #log: SealedLog;
  #keptAt = 0;
  #added = 0;
  #restoreProblem: string | null = null;
  #wasAway = false;

  constructor(options: NodeCountersOptions) {
    this.#options = options;
    this.#redis = options.redisUrl === null ? null : new RedisCounters(options.redisUrl);
    this.#log = new SealedLog(options.token, 'the quotas of a node', options.file);
  }

  take(demands: readonly Demand[], nowMs: number): Awaitable<Counted | Uncounted> {
    const redis = this.#redis;
    if (redis === null) return this.#memory.take(demands, nowMs);
    const { away } = redis;
    if (away !== null) return this.#withoutStore(demands, nowMs, away);
    return redis.take(demands).catch((error: unknown) => this.#withoutStore(demands, nowMs, wordsOf(error)));
  }

  look(demands: readonly Omit<Demand, 'mode'>[], nowMs: number): Awaitable<readonly Standing[] | Uncounted> {
    const redis = this.#redis;
    if (redis === null) return this.#memory.look(demands, nowMs);
    const { away } = redis;
    if (away !== null) return { away };
    return redis.look(demands).catch((error: unknown) => ({ away: wordsOf(error) }));
  }

  /**
   * Counts together with other nodes, for whoever does not wait for it; null where there is no store that can be reached. Fails
   * when that does not answer in time.
   */
  together(demands: readonly Demand[]): Promise<Counted> | null {
    const redis = this.#redis;
    return redis === null || redis.away !== null ? null : redis.take(demands);
  }

  /** Whether nobody has said this before, at any node; null where nodes share no store. Fails with why that cannot be told. */
  first(key: string, forMs: number): Promise<boolean> | null {
    const redis = this.#redis;
    if (redis === null) return null;
    const { away } = redis;
    const asked = away === null ? redis.first(key, forMs) : Promise.reject(new Error(away));
    return asked.catch((error: unknown) => Promise.reject(new Error(wordsOf(error))));
  }

  /** Whether each node goes on by itself while the store cannot be reached. */
  get goesOnAlone(): boolean {
    return this.#options.rule().away === 'alone';
  }

  #withoutStore(demands: readonly Demand[], nowMs: number, away: string): Counted | Uncounted {
    const { away: then, sharePercent } = this.#options.rule();
    if (then !== 'alone') return { away };
    const shared = demands.map((demand) => ({ ...demand, group: `alone ${demand.group}`, measure: shareOf(demand.measure, sharePercent / 100) }));
    return { ...this.#memory.take(shared, nowMs), where: 'alone' };
  }

  /** Whether this node counts by itself or together with others, and whether what they share can be reached. */
  get counts(): 'each' | 'together' | 'away' {
    if (this.#redis === null) return 'each';
    return this.#redis.away === null ? 'together' : 'away';
  }

  /** What an operator should know, in words; null for nothing. */
  get problem(): string | null {
    const away = this.#redis?.away ?? null;
    if (away !== null) {
      const then =
        this.#options.rule().away === 'alone' ? `this node counts alone, up to ${this.#options.rule().sharePercent} % of each limit` : 'nothing passes a limit';
      return `the counters that nodes share cannot be reached (${away}); ${then}`;
    }
    return this.#restoreProblem ?? this.#log.problem;
  }

  /** Reads the quotas that were kept. What cannot be read is told of; requests count from nothing then. */
  async restore(): Promise<void> {
    const entries = await this.#log.read();
    if (entries === null) return;
    if (entries === 'unreadable') {
      this.#restoreProblem = 'the quotas that were kept on disk could not be read; they count from nothing';
      this.#options.log(this.#restoreProblem);
      return;
    }
    for (const entry of entries) for (const quota of quotasIn(entry)) this.#memory.recall(quota);
  }

  tick(): void {
    const away = this.#redis !== null && this.#redis.away !== null;
    if (away !== this.#wasAway) this.#options.log(away ? (this.problem ?? '') : 'the counters that nodes share are there again');
    this.#wasAway = away;
    if (Date.now() - this.#keptAt >= KEEP_MS) this.#keep();
    this.#log.tick();
  }

  #keep(): void {
    this.#keptAt = Date.now();
    const changed = this.#memory.takeChanged();
    if (changed.length === 0) return;
    this.#added += changed.length;
    if (this.#added > REWRITE_AFTER) {
      this.#added = 0;
      void this.#log.begin(entriesOf([...this.#memory.quotas(Date.now())]));
    } else for (const entry of entriesOf(changed)) void this.#log.add(entry);
  }

  /** Writes down what was counted last, and resolves when it is written or could not be. */
  settle(): Promise<void> {
    this.#keep();
    return this.#log.settle();
  }

  close(): void {
    this.#redis?.close();
  }
}

/** What a node lets through by itself: at least one request, so that a small limit does not become none at all. */
function shareOf(measure: Measure, share: number): Measure {
  const part = (requests: number): number => Math.max(1, Math.floor(requests * share));
  const requests = part(measure.requests);
  return measure.kind === 'bucket' ? { ...measure, requests, burst: part(measure.burst) } : { ...measure, requests };
}

function entriesOf(quotas: readonly KeptQuota[]): { readonly quotas: readonly KeptQuota[] }[] {
  const entries: { quotas: readonly KeptQuota[] }[] = [];
  for (let at = 0; at < quotas.length; at += ENTRY) entries.push({ quotas: quotas.slice(at, at + ENTRY) });
  return entries;
}

function quotasIn(entry: unknown): KeptQuota[] {
  const quotas = isRecord(entry) ? entry['quotas'] : null;
  return Array.isArray(quotas) ? quotas.filter(isQuota) : [];
}

const isQuota = (value: unknown): value is KeptQuota =>
  isRecord(value) &&
  typeof value['group'] === 'string' &&
  typeof value['subject'] === 'string' &&
  ['from', 'until', 'used'].every((name) => typeof value[name] === 'number' && Number.isFinite(value[name]));
