import {
  canonicalJson,
  readKey,
  readKeySet,
  takesOpaqueTokens,
  type HeldKeys,
  type KeySource,
  type ProviderRule,
  type PublishedKey,
  type ReadKeySet,
  type RefusedKey,
  type SecretSource,
  type VerificationKey,
} from '@virga/core';
import { OutboundError } from './address-guard.js';
import { fetchDiscovery, fetchKeys, usable, type FetchedKeys } from './fetch-provider.js';

/** Bounds of the key fetches, all in milliseconds. */
export interface KeyTimes {
  /** An unknown key causes at most one fetch in this time. */
  readonly coolDownMs: number;
  /** Bounds on what Cache-Control may ask for, and what counts when it says nothing. */
  readonly minLifeMs: number;
  readonly maxLifeMs: number;
  readonly defaultLifeMs: number;
  /** Pause after a fetch that failed. */
  readonly retryMs: number;
}

export const KEY_TIMES: KeyTimes = { coolDownMs: 10_000, minLifeMs: 60_000, maxLifeMs: 3_600_000, defaultLifeMs: 300_000, retryMs: 5000 };

export interface KeyReport {
  readonly kid: string | null;
  readonly keyType: string;
  readonly curve: string | null;
  readonly bits: number;
  readonly algorithm: string | null;
  readonly thumbprint: string;
}

/** The state of one provider as this process sees it, for people to read. */
export interface ProviderReport {
  readonly providerId: string;
  readonly state: 'reachable' | 'last-good' | 'failing' | 'not-asked';
  readonly reason: string;
  readonly fetchedAt: number | null;
  readonly triedAt: number | null;
  readonly keys: readonly KeyReport[];
  readonly refused: readonly RefusedKey[];
}

/** Keys as they are kept over a restart: public ones only, with the place that they came from. */
export interface KeptKeys {
  readonly identity: string;
  readonly jwks: readonly PublishedKey[];
  readonly fetchedAt: number;
}

/** The keys of the providers of one release or draft; what it holds is kept until it is closed. */
export interface KeyLease extends KeySource {
  close(): void;
}

interface Entry {
  readonly identity: string;
  users: number;
  rule: ProviderRule;
  held: HeldKeys;
  refused: readonly RefusedKey[];
  fetchedAt: number | null;
  triedAt: number | null;
  nextFetchAt: number;
  problem: string | null;
  flight: Promise<HeldKeys> | null;
}

const EMPTY: HeldKeys = { generation: 0, state: 'none', keys: [] };

/** How a provider is asked; tests and benchmarks pass their own. */
export type AskProvider = (provider: ProviderRule) => Promise<FetchedKeys>;

/** Asks a provider for its keys in the way that its source says. Keys and secrets set by hand need no network. */
export function askBySource(secrets: SecretSource): AskProvider {
  return async (provider) => {
    const { source } = provider;
    switch (source.kind) {
      case 'discovery':
        return fetchKeys((await fetchDiscovery(provider)).discovery.jwksUri, provider);
      case 'key-set-url':
        return fetchKeys(source.url, provider);
      case 'keys':
        return { ...usable(await readKeySet({ keys: source.keys })), cacheSeconds: null };
      case 'secret':
        return { ...(await readSecret(secrets.value(source.secret))), cacheSeconds: null };
      case 'introspection':
      case 'userinfo':
        return { keys: [], refused: [], cacheSeconds: null };
    }
  };
}

/** A shared secret as a key: its UTF-8 bytes, of which RFC 7518 section 3.2 wants at least as many as the hash has. */
async function readSecret(secret: string | null): Promise<ReadKeySet> {
  if (secret === null) throw new OutboundError('its secret is not on this node');
  const key = await readKey({ kty: 'oct', k: Buffer.from(secret, 'utf8').toString('base64url') }, 'secret');
  if (!key || key.bits < 256) throw new OutboundError('its secret has less than the 32 bytes that HS256 needs');
  return { keys: [key], refused: [] };
}

/**
 * The keys of all providers of a process. One fetch in flight for each; ages and pauses are arithmetic on the clock
 * given, no timers: `tick` is called now and then. Keys that cannot be renewed serve on for the provider's stated time.
 */
export class ProviderKeys implements KeySource {
  /** By identity; each is there as long as somebody uses it. */
  readonly #entries = new Map<string, Entry>();
  readonly #kept = new Map<string, { readonly keys: readonly VerificationKey[]; readonly fetchedAt: number }>();
  #current: Lease | null = null;
  /** Counted over all entries, so that one that was dropped and made anew never has the number of earlier keys. */
  #generations = 0;
  readonly #now: () => number;
  readonly #ask: AskProvider;
  readonly #times: KeyTimes;
  readonly #changed: () => void;

  constructor(now: () => number, changed: () => void = () => undefined, ask: AskProvider = askBySource({ value: () => null }), times: KeyTimes = KEY_TIMES) {
    this.#now = now;
    this.#ask = ask;
    this.#times = times;
    this.#changed = changed;
  }

  /** Takes the providers of the release that is live now: those that are reported. */
  follow(providers: readonly ProviderRule[]): void {
    const before = this.#current;
    this.#current = this.#open(providers);
    before?.close();
    void this.tick();
  }

  /**
   * Holds the keys of these providers until it is closed, apart from what else is followed: a request that began with an
   * earlier release still finds its keys. Providers with the same id, issuer and source share them.
   */
  lease(providers: readonly ProviderRule[]): KeyLease {
    const lease = this.#open(providers);
    void this.tick();
    return lease;
  }

  #open(providers: readonly ProviderRule[]): Lease {
    const entries = new Map<string, Entry>();
    for (const rule of providers) {
      if (takesOpaqueTokens(rule)) continue;
      const identity = identityOf(rule);
      let entry = this.#entries.get(identity);
      if (!entry) this.#entries.set(identity, (entry = this.#begin(identity, rule)));
      entry.rule = rule;
      entry.users++;
      entries.set(rule.id, entry);
    }
    let open = true;
    return {
      entries,
      held: (id) => this.#heldOf(entries.get(id)),
      refetch: (provider) => this.#refetch(entries.get(provider.id)),
      close: () => {
        if (!open) return;
        open = false;
        for (const entry of entries.values()) if (--entry.users === 0) this.#entries.delete(entry.identity);
      },
    };
  }

  #begin(identity: string, rule: ProviderRule): Entry {
    const fresh = { identity, rule, users: 0, held: EMPTY, refused: [], fetchedAt: null, triedAt: null, nextFetchAt: 0, problem: null, flight: null };
    const kept = this.#kept.get(identity);
    if (!kept) return fresh;
    const held: HeldKeys = { generation: ++this.#generations, state: 'last-good', keys: kept.keys };
    return { ...fresh, held, fetchedAt: kept.fetchedAt, problem: 'It has not answered since this node started' };
  }

  /** Takes keys that were kept over a restart, to serve until their provider answers, within its stated time. */
  async recall(kept: readonly KeptKeys[]): Promise<void> {
    for (const { identity, jwks, fetchedAt } of kept) {
      const read = await readKeySet({ keys: jwks });
      if (read && read.keys.length > 0) this.#kept.set(identity, { keys: read.keys, fetchedAt });
    }
  }

  /** What `recall` takes: the fetched keys of the providers that are followed. */
  keep(): KeptKeys[] {
    return [...(this.#current?.entries.values() ?? [])].flatMap(({ identity, rule, held, fetchedAt }): KeptKeys[] => {
      const fetched = rule.source.kind === 'discovery' || rule.source.kind === 'key-set-url';
      if (!fetched || fetchedAt === null || held.keys.length === 0) return [];
      return [{ identity, jwks: held.keys.map((key) => key.jwk as PublishedKey), fetchedAt }];
    });
  }

  held(providerId: string): HeldKeys {
    return this.#heldOf(this.#current?.entries.get(providerId));
  }

  refetch(provider: ProviderRule): Promise<HeldKeys> {
    return this.#refetch(this.#current?.entries.get(provider.id));
  }

  #heldOf(entry: Entry | undefined): HeldKeys {
    if (!entry) return EMPTY;
    this.#age(entry);
    return entry.held;
  }

  async #refetch(entry: Entry | undefined): Promise<HeldKeys> {
    if (!entry) return EMPTY;
    if (entry.flight) return entry.flight;
    const pause = entry.held.state === 'none' ? Math.min(this.#times.retryMs, 1000) : this.#times.coolDownMs;
    if (entry.triedAt !== null && this.#now() - entry.triedAt < pause) return entry.held;
    return this.#fetch(entry);
  }

  /** Asks at once, whatever the cool-down: for an operator who presses the button. */
  async refresh(providerId: string): Promise<void> {
    const entry = this.#current?.entries.get(providerId);
    if (entry) await (entry.flight ?? this.#fetch(entry));
  }

  /** Renews what is due. Resolves when the fetches it began are done. */
  async tick(): Promise<void> {
    const due = [...this.#entries.values()].filter((entry) => !entry.flight && this.#now() >= entry.nextFetchAt);
    await Promise.all(due.map((entry) => this.#fetch(entry)));
    for (const entry of this.#entries.values()) this.#age(entry);
  }

  report(): ProviderReport[] {
    return [...(this.#current?.entries.values() ?? [])].map((entry) => {
      this.#age(entry);
      return {
        providerId: entry.rule.id,
        state: stateOf(entry),
        reason: reasonOf(entry),
        fetchedAt: entry.fetchedAt,
        triedAt: entry.triedAt,
        keys: entry.held.keys.map(reportKey),
        refused: entry.refused,
      };
    });
  }

  #fetch(entry: Entry): Promise<HeldKeys> {
    entry.triedAt = this.#now();
    const flight = this.#ask(entry.rule)
      .then(
        (fetched) => this.#take(entry, fetched),
        (error: unknown) => this.#miss(entry, error as Error),
      )
      .then(() => {
        entry.flight = null;
        this.#changed();
        return entry.held;
      });
    entry.flight = flight;
    return flight;
  }

  #take(entry: Entry, fetched: FetchedKeys): void {
    const now = this.#now();
    const { minLifeMs, maxLifeMs, defaultLifeMs } = this.#times;
    const life = fetched.cacheSeconds === null ? defaultLifeMs : Math.min(Math.max(fetched.cacheSeconds * 1000, minLifeMs), maxLifeMs);
    entry.fetchedAt = now;
    entry.nextFetchAt = now + life;
    entry.problem = null;
    entry.refused = fetched.refused;
    const same = sameKeys(entry.held.keys, fetched.keys);
    // Unchanged keys keep their generation, so that known tokens stay known.
    entry.held = { generation: same ? entry.held.generation : ++this.#generations, state: 'fresh', keys: same ? entry.held.keys : fetched.keys };
  }

  #miss(entry: Entry, error: Error): void {
    entry.problem = error.message;
    entry.nextFetchAt = this.#now() + this.#times.retryMs;
    if (entry.held.state === 'fresh') entry.held = { ...entry.held, state: 'last-good' };
    this.#age(entry);
  }

  #age(entry: Entry): void {
    if (entry.held.state === 'none' || entry.fetchedAt === null) return;
    if (this.#now() - entry.fetchedAt <= Math.max(entry.rule.lastGoodSeconds * 1000, entry.problem === null ? this.#times.maxLifeMs : 0)) return;
    entry.held = { generation: ++this.#generations, state: 'none', keys: [] };
  }
}

interface Lease extends KeyLease {
  readonly entries: ReadonlyMap<string, Entry>;
}

const identityOf = (rule: ProviderRule): string => canonicalJson([rule.id, rule.issuer, rule.source]);

function sameKeys(before: readonly VerificationKey[], after: readonly VerificationKey[]): boolean {
  const print = (key: VerificationKey): string => `${key.thumbprint} ${key.kid ?? ''} ${key.algorithm ?? ''}`;
  return before.length === after.length && before.every((key, index) => print(key) === print(after[index] as VerificationKey));
}

const READ: Readonly<Record<ProviderRule['source']['kind'], string>> = {
  discovery: 'Discovery and key set were read',
  'key-set-url': 'The key set was read',
  keys: 'The keys were set by hand',
  secret: 'The secret was set by hand',
  introspection: 'It is asked about each token',
  userinfo: 'It is asked about each token',
};

function stateOf(entry: Entry): ProviderReport['state'] {
  if (entry.held.state === 'none') return entry.problem === null ? 'not-asked' : 'failing';
  return entry.held.state === 'last-good' ? 'last-good' : 'reachable';
}

function reasonOf(entry: Entry): string {
  const keys = `${entry.held.keys.length} ${entry.held.keys.length === 1 ? 'key' : 'keys'}`;
  switch (stateOf(entry)) {
    case 'reachable':
      return `${READ[entry.rule.source.kind]}; ${keys} held.`;
    case 'last-good':
      return `${entry.problem ?? ''}. The last good ${keys} serve on for at most ${entry.rule.lastGoodSeconds} s after they were fetched.`;
    case 'failing':
      return `${entry.problem ?? ''}. No keys are held, so tokens of this provider are refused with 503.`;
    case 'not-asked':
      return 'The provider has not been asked yet.';
  }
}

function reportKey(key: VerificationKey): KeyReport {
  const { kid, keyType, curve, bits, algorithm, thumbprint } = key;
  return { kid, keyType, curve, bits, algorithm, thumbprint };
}
