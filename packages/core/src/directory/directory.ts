import { rowsOf, type TableFact, type TableRows } from './table-fact.js';
import type { SubscriptionFact } from './subscription.js';
import type { ClientFact, CredentialFact, CredentialKind, DirectoryChange, DirectorySource, Holder } from './facts.js';

const NONE: readonly SubscriptionFact[] = Object.freeze([]);
const NOBODY: readonly Holder[] = Object.freeze([]);

/**
 * Clients and their credentials, looked up by what requests carry, and tables. Two credentials that are found by the same thing
 * prove nobody, whichever came first; of Basic secrets, those of two clients.
 */
export class Directory implements DirectorySource {
  readonly #clients = new Map<string, ClientFact>();
  readonly #credentials = new Map<string, CredentialFact>();
  readonly #subscriptions = new Map<string, SubscriptionFact>();
  /** Subscriptions of each client that has any. */
  readonly #byClient = new Map<string, readonly SubscriptionFact[]>();
  readonly #tables = new Map<string, { readonly fact: TableFact; readonly rows: TableRows }>();
  readonly #byLookup: Readonly<Record<CredentialKind, Map<string, string | Set<string>>>> = {
    key: new Map(),
    basic: new Map(),
    certificate: new Map(),
    'provider-client': new Map(),
  };

  constructor(changes: readonly DirectoryChange[] = []) {
    this.apply(changes);
  }

  get clients(): number {
    return this.#clients.size;
  }

  get joinsProviders(): boolean {
    return this.#byLookup['provider-client'].size > 0;
  }

  apply(changes: readonly DirectoryChange[]): void {
    for (const change of changes) {
      if (change.what === 'credential') this.#setCredential(change.id, change.value);
      else if (change.what === 'table') this.#setTable(change.id, change.value);
      else if (change.what === 'subscription') this.#setSubscription(change.id, change.value);
      else if (change.value === null) this.#clients.delete(change.id);
      else this.#clients.set(change.id, change.value);
    }
  }

  /** Everything, as changes that make it anew. */
  *changes(): Generator<DirectoryChange> {
    for (const value of this.#clients.values()) yield { what: 'client', id: value.id, value };
    for (const value of this.#credentials.values()) yield { what: 'credential', id: value.id, value };
    for (const value of this.#subscriptions.values()) yield { what: 'subscription', id: value.id, value };
    for (const { fact } of this.#tables.values()) yield { what: 'table', id: fact.id, value: fact };
  }

  find(kind: Exclude<CredentialKind, 'basic'>, lookup: string): Holder | null {
    const id = this.#byLookup[kind].get(lookup);
    return typeof id === 'string' ? this.#holderOf(id) : null;
  }

  secretsOf(name: string): readonly Holder[] {
    const found = this.#byLookup.basic.get(name);
    if (found === undefined) return NOBODY;
    const ids = typeof found === 'string' ? [found] : [...found];
    if (new Set(ids.map((id) => this.#credentials.get(id)?.clientId)).size !== 1) return NOBODY;
    return ids.map((id) => this.#holderOf(id)).filter((holder) => holder !== null);
  }

  #holderOf(id: string): Holder | null {
    const credential = this.#credentials.get(id);
    const client = credential && this.#clients.get(credential.clientId);
    return credential && client ? { client, credential } : null;
  }

  subscriptionsOf(clientId: string): readonly SubscriptionFact[] {
    return this.#byClient.get(clientId) ?? NONE;
  }

  table(name: string): TableRows | null {
    return this.#tables.get(name)?.rows ?? null;
  }

  #setSubscription(id: string, value: SubscriptionFact | null): void {
    const before = this.#subscriptions.get(id);
    if (before) this.#setOf(before.clientId, (own) => own.filter((one) => one.id !== id));
    if (value === null) {
      this.#subscriptions.delete(id);
      return;
    }
    this.#subscriptions.set(id, value);
    this.#setOf(value.clientId, (own) => [...own, value]);
  }

  #setOf(clientId: string, change: (own: readonly SubscriptionFact[]) => readonly SubscriptionFact[]): void {
    const own = change(this.#byClient.get(clientId) ?? NONE);
    if (own.length === 0) this.#byClient.delete(clientId);
    else this.#byClient.set(clientId, own);
  }

  #setTable(id: string, fact: TableFact | null): void {
    if (fact === null) this.#tables.delete(id);
    else this.#tables.set(id, { fact, rows: rowsOf(fact) });
  }

  #setCredential(id: string, value: CredentialFact | null): void {
    const before = this.#credentials.get(id);
    if (before) this.#unlink(before);
    if (value === null) {
      this.#credentials.delete(id);
      return;
    }
    this.#credentials.set(id, value);
    const links = this.#byLookup[value.kind];
    const found = links.get(value.lookup);
    if (found === undefined) links.set(value.lookup, id);
    else if (found instanceof Set) found.add(id);
    else links.set(value.lookup, new Set([found, id]));
  }

  #unlink({ id, kind, lookup }: CredentialFact): void {
    const links = this.#byLookup[kind];
    const found = links.get(lookup);
    if (found === id) links.delete(lookup);
    if (!(found instanceof Set)) return;
    found.delete(id);
    const [last] = found;
    if (found.size === 1 && last !== undefined) links.set(lookup, last);
  }
}
