import { AnswerMemory } from '../authorizer/answer-memory.js';
import type { Authorizers } from '../authorizer/ask.js';
import type { CompiledOperation, CompiledRelease } from '../decision/compiled.js';
import { decide, decideContent, type Verdict } from '../decision/decide.js';
import type { Exchange } from '../decision/exchange.js';
import { closedPorts, type Ports } from '../decision/ports.js';
import { FreshCounters, SpentCounters } from '../limit/unshared-counters.js';
import type { SubscriptionFact } from '../directory/subscription.js';
import type { DirectorySource } from '../directory/facts.js';
import { Directory } from '../directory/directory.js';
import type { CredentialFact } from '../directory/facts.js';
import type { ReleaseDocument } from '../document/release-document.js';
import { compileRelease } from '../release/compile-release.js';
import { idTokenMarks } from '../token/token-kind.js';
import { Revocations } from '../token/revocations.js';
import { TokenCache } from '../token/token-cache.js';
import type { VerifiedToken } from '../token/verified-token.js';
import { verifyToken, type KeySource } from '../token/verify-token.js';
import { whenThere, type Awaitable } from '../util/awaitable.js';
import { standIn, type Unknown } from './stand-in.js';
import type { KnownFacts, SupposedCredential, SupposedToken } from './supposed-caller.js';
import { supposeRequest, type SentProofs, type SupposedRequest } from './supposed-request.js';

/** What a release is supposed in. */
export interface SupposedWorld {
  readonly facts: KnownFacts;
  readonly unknown: Unknown;
  /** Keys of providers, where texts of tokens are decided; null where none are. */
  readonly keys: KeySource | null;
  /** What runs scripts and asks services, where these are known; null where nobody can be asked. */
  readonly authorizers: Authorizers | null;
}

/** One request that is supposed. */
export interface SupposedCall {
  readonly operation: CompiledOperation;
  readonly credentials: readonly SupposedCredential[];
  readonly request: SupposedRequest;
  /** When it comes, milliseconds since the epoch. */
  readonly nowMs: number;
  /** Plans that whoever calls is supposed to have, active, in place of how its subscriptions to them stand; left out for none. */
  readonly plans?: readonly string[];
}

export interface SupposedOutcome {
  readonly verdict: Verdict;
  readonly exchange: Exchange;
}

/** A directory in which every client has certain plans. */
const withPlans = (directory: Directory, plans: readonly string[]): DirectorySource => ({
  find: (kind, lookup) => directory.find(kind, lookup),
  secretsOf: (name) => directory.secretsOf(name),
  joinsProviders: directory.joinsProviders,
  table: (name) => directory.table(name),
  subscriptionsOf: (clientId) => [
    ...plans.map((planId): SubscriptionFact => ({ id: `supposed ${planId}`, clientId, planId, state: 'active', startsAt: null, endsAt: null })),
    ...directory.subscriptionsOf(clientId).filter(({ planId }) => !plans.includes(planId)),
  ],
});

const NO_KEYS: KeySource = {
  held: () => ({ generation: 0, state: 'none', keys: [] }),
  refetch: () => Promise.resolve({ generation: 0, state: 'none', keys: [] }),
};

/**
 * A release in a supposed world: the gateway's own decision, with the facts of the world as its ports. A token that is
 * supposed counts as proved before, as one does that the gateway has seen; a credential of a client is found by its id. Calls
 * are decided one after another.
 */
export class Supposition {
  readonly release: CompiledRelease;
  readonly #tokens = new SupposedTokens();
  readonly #texts = new Map<SupposedToken, string>();
  readonly #vague = new WeakSet<VerifiedToken>();
  readonly #certificates: ReadonlyMap<string, string>;
  readonly #names: ReadonlyMap<string, string>;
  readonly #proofs = new WeakMap<readonly SupposedCredential[], SentProofs>();
  #nowMs = 0;
  #plans: readonly string[] | null = null;

  /** @throws ConfigError for a document that cannot be used */
  constructor(document: ReleaseDocument, { facts, unknown, keys, authorizers }: SupposedWorld) {
    const directory = new Directory([
      ...facts.clients.map((value) => ({ what: 'client', id: value.id, value }) as const),
      ...facts.credentials.map((known) => ({ what: 'credential', id: known.id, value: supposeCredential(known) }) as const),
      ...facts.subscriptions.map((value) => ({ what: 'subscription', id: value.id, value }) as const),
      ...facts.tables.map((value) => ({ what: 'table', id: value.id, value }) as const),
    ]);
    this.#certificates = new Map(
      facts.credentials.flatMap(({ id, kind, lookup }) => (kind === 'certificate' && lookup !== null ? [[id, lookup] as const] : [])),
    );
    this.#names = new Map(facts.credentials.flatMap(({ id, kind, name }) => (kind === 'basic' ? [[id, name] as const] : [])));
    const revocations = new Revocations(facts.revocations);
    const ports: Ports = closedPorts({
      now: () => this.#nowMs,
      ticks: () => 0,
      // Nothing here is kept from anybody, so that a text may stand for its own digest.
      digest: (text) => text,
      keys: keys ?? NO_KEYS,
      tokens: this.#tokens,
      directory: () => (this.#plans === null ? directory : withPlans(directory, this.#plans)),
      counters: unknown.limits === 'spent' ? new SpentCounters() : new FreshCounters(),
      guesses: new FreshCounters(),
      revocations: () => revocations,
      ...(authorizers === null ? {} : { authorizers: { ...authorizers, answers: new NoAnswers() } }),
      standIn: (step) => standIn(step, unknown, (exchange) => exchange.token !== null && this.#vague.has(exchange.token), ports),
    });
    this.release = compileRelease(document, ports);
  }

  /** Decides a call, by the function that decides traffic. */
  decide(call: SupposedCall): Awaitable<SupposedOutcome> {
    this.#nowMs = call.nowMs;
    this.#plans = call.plans ?? null;
    const { operation, credentials, request } = call;
    const exchange = supposeRequest(operation, request, this.#proofsOf(credentials));
    return whenThere(decide(this.release, exchange), (verdict): Awaitable<SupposedOutcome> => {
      if (verdict.kind === 'answer') return { verdict, exchange };
      return whenThere(decideContent(this.release, exchange), (refused) => ({ verdict: refused ?? verdict, exchange }));
    });
  }

  #proofsOf(credentials: readonly SupposedCredential[]): SentProofs {
    let proofs = this.#proofs.get(credentials);
    if (!proofs) {
      proofs = {
        token: credentials.flatMap((credential) => this.#tokenOf(credential)),
        key: credentials.flatMap(keyOf),
        basic: credentials.flatMap((credential) => this.#basicOf(credential)),
        certificate: this.#certificateOf(credentials),
      };
      this.#proofs.set(credentials, proofs);
    }
    return proofs;
  }

  /** What a pasted token says, once its provider's keys have proved it; null where they have not. */
  async readPasted({ text }: Extract<SupposedCredential, { readonly kind: 'pasted' }>): Promise<SupposedToken | null> {
    const verified = await verifyToken(text, this.release.verifier);
    if ('code' in verified) return null;
    const { provider, form, typ, claims } = verified;
    return { kind: 'token', providerId: provider.id, form, typ, claims, principal: null, vague: false };
  }

  /** What a supposed token counts as: what its provider would vouch for; null for a provider that the release does not trust. */
  principalOf(token: SupposedToken): VerifiedToken['principal'] | null {
    const trusted = this.release.providersById.get(token.providerId);
    return trusted ? { ...trusted.readPrincipal(token.claims), ...token.principal } : null;
  }

  #tokenOf(credential: SupposedCredential): readonly { readonly text: string; readonly bound: boolean }[] {
    if (credential.kind === 'pasted') return credential.as === 'token' ? [{ text: credential.text, bound: false }] : [];
    if (credential.kind !== 'token') return [];
    const { cnf } = credential.claims as { readonly cnf?: { readonly jkt?: unknown } };
    return [{ text: this.textOf(credential), bound: typeof cnf?.jkt === 'string' }];
  }

  /** The text that stands for a supposed token, which is its digest too. */
  textOf(token: SupposedToken): string {
    let text = this.#texts.get(token);
    if (text !== undefined) return text;
    text = `supposed.${this.#texts.size}.token`;
    this.#texts.set(token, text);
    const trusted = this.release.providersById.get(token.providerId);
    if (!trusted) return text;
    const { claims, typ, form } = token;
    const header = typ === null ? {} : { typ };
    const verified: VerifiedToken = {
      provider: trusted.rule,
      form,
      typ,
      claims,
      algorithm: form === 'opaque' ? null : (trusted.rule.algorithms[0] ?? null),
      kid: null,
      generation: this.release.ports.keys.held(token.providerId).generation,
      decryptedBy: null,
      usableUntil: Infinity,
      idTokenMarks: form === 'opaque' ? [] : idTokenMarks(header, claims),
      unread: trusted.findUnread(claims),
      principal: { ...trusted.readPrincipal(claims), ...token.principal },
    };
    if (token.vague) this.#vague.add(verified);
    this.#tokens.suppose(text, verified);
    return text;
  }

  #basicOf(credential: SupposedCredential): string[] {
    if (credential.kind !== 'basic') return [];
    const bytes = new TextEncoder().encode(`${this.#names.get(credential.credentialId) ?? ''}:${SECRET + credential.credentialId}`);
    return [btoa(String.fromCharCode(...bytes))];
  }

  /** The certificate that goes with the call: the client's own, or the one that its token is bound to. */
  #certificateOf(credentials: readonly SupposedCredential[]): string | null {
    for (const credential of credentials) {
      if (credential.kind === 'certificate') return this.#certificates.get(credential.credentialId) ?? null;
      if (credential.kind !== 'token') continue;
      const { cnf } = credential.claims as { readonly cnf?: { readonly 'x5t#S256'?: unknown } };
      if (typeof cnf?.['x5t#S256'] === 'string') return cnf['x5t#S256'];
    }
    return null;
  }
}

/** Nothing is kept: what one call was answered is no answer to another. */
class NoAnswers extends AnswerMemory {
  override keep(): void {
    // Nothing.
  }
}

/** Tokens that count as proved, as long as they are supposed; others are kept as by a gateway. */
class SupposedTokens extends TokenCache {
  readonly #supposed = new Map<string, VerifiedToken>();

  constructor() {
    super(1000);
  }

  suppose(text: string, token: VerifiedToken): void {
    this.#supposed.set(text, token);
  }

  override find(...asked: Parameters<TokenCache['find']>): VerifiedToken | null {
    return this.#supposed.get(asked[0]) ?? super.find(...asked);
  }
}

const SECRET = 'supposed-secret-of-';
const KEY = 'supposed-key-of-';

function keyOf(credential: SupposedCredential): string[] {
  if (credential.kind === 'pasted') return credential.as === 'key' ? [credential.text] : [];
  return credential.kind === 'key' ? [KEY + credential.credentialId] : [];
}

/** The fact of a credential that stands for the one whose proof is not known here. */
function supposeCredential({ lookup, ...known }: KnownFacts['credentials'][number]): CredentialFact {
  if (known.kind === 'key') return { ...known, lookup: KEY + known.id, digest: null };
  if (known.kind === 'basic') return { ...known, lookup: known.name, digest: SECRET + known.id };
  return { ...known, lookup: lookup ?? '', digest: null };
}
