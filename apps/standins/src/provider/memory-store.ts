import type { Adapter, AdapterConstructor, AdapterPayload } from 'oidc-provider';

interface Kept {
  readonly payload: AdapterPayload;
  readonly until: number;
}

/** At most this many things are kept; the oldest go first. Stand-ins forget on a restart, and may. */
const MOST = 10_000;

/** What providers of one house remember, apart from the provider objects, which are made anew when keys rotate. */
export function memoryStore(): AdapterConstructor {
  const kept = new Map<string, Kept>();
  const find = (key: string): AdapterPayload | undefined => {
    const found = kept.get(key);
    return found && found.until > Date.now() ? found.payload : undefined;
  };
  const findBy = (model: string, member: 'uid' | 'userCode', value: string): AdapterPayload | undefined => {
    for (const [key, { payload, until }] of kept) if (key.startsWith(`${model}:`) && payload[member] === value && until > Date.now()) return payload;
    return undefined;
  };
  return class implements Adapter {
    readonly #model: string;

    constructor(model: string) {
      this.#model = model;
    }

    upsert(id: string, payload: AdapterPayload, expiresIn: number): Promise<undefined> {
      kept.set(`${this.#model}:${id}`, { payload, until: Date.now() + (expiresIn || 86_400) * 1000 });
      for (const key of kept.keys()) {
        if (kept.size <= MOST) break;
        kept.delete(key);
      }
      return Promise.resolve(undefined);
    }

    find(id: string): Promise<AdapterPayload | undefined> {
      return Promise.resolve(find(`${this.#model}:${id}`));
    }

    findByUid(uid: string): Promise<AdapterPayload | undefined> {
      return Promise.resolve(findBy(this.#model, 'uid', uid));
    }

    findByUserCode(userCode: string): Promise<AdapterPayload | undefined> {
      return Promise.resolve(findBy(this.#model, 'userCode', userCode));
    }

    consume(id: string): Promise<undefined> {
      const payload = find(`${this.#model}:${id}`);
      if (payload) payload.consumed = Math.floor(Date.now() / 1000);
      return Promise.resolve(undefined);
    }

    destroy(id: string): Promise<undefined> {
      kept.delete(`${this.#model}:${id}`);
      return Promise.resolve(undefined);
    }

    revokeByGrantId(grantId: string): Promise<undefined> {
      for (const [key, { payload }] of kept) if (payload.grantId === grantId) kept.delete(key);
      return Promise.resolve(undefined);
    }
  };
}
