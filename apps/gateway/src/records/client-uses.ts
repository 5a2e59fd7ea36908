import type { ClientUse, Credential, Ending } from '@virga/core';

const HOUR_MS = 3_600_000;

interface Kept {
  readonly key: Omit<ClientUse, 'count'>;
  count: number;
}

/** The counts of one client; most of its requests are like its last. */
interface OfClient {
  last: Kept | null;
  readonly all: Map<string, Kept>;
}

/** Counts requests by the client that proved itself, hour, API and ending, until they are sent. */
export class ClientUses {
  readonly #most: number;
  #byClient = new Map<string | null, OfClient>();
  #kinds = 0;

  /** @param most different counts that are held at one time; past it requests are counted without their client, so that none goes untold */
  constructor(most: number) {
    this.#most = most;
  }

  get isEmpty(): boolean {
    return this.#byClient.size === 0;
  }

  /** A request that proves itself as several clients is one request of each of them. */
  count(credentials: readonly Credential[], at: number, apiId: string | null, ending: Ending): void {
    for (let index = 0; index < credentials.length; index++) {
      const id = (credentials[index] as Credential).holder?.client.id;
      if (id !== undefined && !isEarlier(credentials, index, id)) this.#one(id, at - (at % HOUR_MS), apiId, ending);
    }
  }

  #one(clientId: string | null, hour: number, apiId: string | null, { outcome, step, code }: Ending): void {
    let own = this.#byClient.get(clientId);
    const last = own?.last;
    if (last && last.key.hour === hour && last.key.apiId === apiId && last.key.code === code && last.key.outcome === outcome) {
      last.count++;
      return;
    }
    const named = `${hour} ${apiId ?? ''} ${outcome} ${code}`;
    let kept = own?.all.get(named);
    if (!kept) {
      // What is counted without a client differs by little, so it is let in past the bound.
      if (clientId !== null && this.#kinds >= this.#most) return this.#one(null, hour, null, { outcome, step, code });
      if (!own) this.#byClient.set(clientId, (own = { last: null, all: new Map() }));
      own.all.set(named, (kept = { key: { hour, clientId, apiId, step, code, outcome }, count: 0 }));
      this.#kinds++;
    }
    kept.count++;
    if (own) own.last = kept;
  }

  /** Takes out what was counted. */
  take(): ClientUse[] {
    const taken = [...this.#byClient.values()].flatMap(({ all }) => [...all.values()].map(({ key, count }): ClientUse => ({ ...key, count })));
    this.#byClient = new Map();
    this.#kinds = 0;
    return taken;
  }
}

function isEarlier(credentials: readonly Credential[], index: number, id: string): boolean {
  for (let before = 0; before < index; before++) if (credentials[before]?.holder?.client.id === id) return true;
  return false;
}
