import { canonicalJson, NO_TEXT, readTypedJson, type Introspection, type IntrospectionAnswer, type OpaqueProvider, type SecretSource } from '@virga/core';
import { importJWK, SignJWT, type JWK } from 'jose';
import { randomUUID } from 'node:crypto';
import { Circuit, CIRCUIT_LIMITS } from './circuit.js';
import { EndpointClient, type EndpointRequest } from './endpoint-client.js';

/** What is remembered, and when an endpoint is left alone. */
export const INTROSPECTION_LIMITS = {
  ...CIRCUIT_LIMITS,
  /** Bad answers remembered by each process. */
  negativeEntries: 50_000,
  /** How long an endpoint that no release has any more is kept for requests that began before. */
  idleMs: 60_000,
} as const;

/** How asking one provider goes, for people to read. */
export interface IntrospectionReport {
  readonly providerId: string;
  readonly state: 'reachable' | 'failing' | 'not-asked';
  readonly reason: string;
  readonly calls: number;
  readonly askedAt: number | null;
}

interface Endpoint {
  readonly provider: OpaqueProvider;
  readonly signature: string;
  readonly client: EndpointClient;
  readonly circuit: Circuit;
  usedAt: number;
}

/**
 * Asks providers about opaque tokens. One call in flight for each token, however many requests carry it; bad answers
 * are remembered for the provider's stated time; after failures in a row the endpoint is left alone for a while.
 * Good answers are remembered by the decision itself. Holds hashes of tokens only.
 */
export class Introspector implements Introspection {
  readonly #endpoints = new Map<string, Endpoint>();
  /** Null until a release is followed: then every endpoint that was asked is reported. */
  #followed: readonly Endpoint[] | null = null;
  readonly #flights = new Map<string, Promise<IntrospectionAnswer>>();
  /** In the order in which they were learned, so that the oldest goes first. */
  readonly #negative = new Map<string, { answer: IntrospectionAnswer; until: number }>();
  readonly #secrets: SecretSource;
  readonly #now: () => number;
  readonly #changed: () => void;

  constructor(secrets: SecretSource, now: () => number, changed: () => void = () => undefined) {
    this.#secrets = secrets;
    this.#now = now;
    this.#changed = changed;
  }

  ask(provider: OpaqueProvider, token: string, digest: string): Promise<IntrospectionAnswer> {
    const endpoint = this.#endpoint(provider);
    const { circuit } = endpoint;
    const key = `${provider.id} ${endpoint.signature} ${digest}`;
    const remembered = this.#negative.get(key);
    if (remembered && this.#now() < remembered.until) return Promise.resolve(remembered.answer);
    const flight = this.#flights.get(key);
    if (flight) return flight;
    if (!circuit.mayTry())
      return Promise.resolve({ outcome: 'unavailable', reason: `${circuit.problem ?? ''}; it is left alone for a moment after failures in a row` });
    const fresh = this.#call(endpoint, token)
      .then((answer) => {
        if (isNegative(answer, provider)) this.#remember(key, answer, provider.source.negativeSeconds);
        return answer;
      })
      .finally(() => this.#flights.delete(key));
    this.#flights.set(key, fresh);
    return fresh;
  }

  /** Takes the providers of the release that is live now: those that are reported. Others are forgotten when nobody asks them any more. */
  follow(providers: readonly OpaqueProvider[]): void {
    this.#followed = providers.map((provider) => this.#endpoint(provider));
    this.#forget();
  }

  #forget(): void {
    for (const [key, endpoint] of this.#endpoints) {
      const { circuit, client, usedAt } = endpoint;
      if (this.#followed?.includes(endpoint) || circuit.underWay > 0 || this.#now() - usedAt < INTROSPECTION_LIMITS.idleMs) continue;
      this.#endpoints.delete(key);
      void client.close();
    }
  }

  report(): IntrospectionReport[] {
    return (this.#followed ?? [...this.#endpoints.values()]).map(({ provider, circuit }) => {
      const { problem, calls, calledAt: askedAt } = circuit;
      const state = askedAt === null ? 'not-asked' : problem === null ? 'reachable' : 'failing';
      const open = circuit.isOpen ? ' It is left alone for a moment; meanwhile its tokens are refused with 503.' : '';
      const reason =
        state === 'not-asked'
          ? 'It is asked when the first token comes.'
          : state === 'reachable'
            ? `Its endpoint answers; asked ${calls === 1 ? 'once' : `${calls} times`}.`
            : `${problem ?? ''}.${open}`;
      return { providerId: provider.id, state, reason, calls, askedAt };
    });
  }

  async close(): Promise<void> {
    await Promise.all([...this.#endpoints.values()].map(({ client }) => client.close()));
    this.#endpoints.clear();
    this.#followed = null;
  }

  #endpoint(provider: OpaqueProvider): Endpoint {
    const signature = canonicalJson([provider.source, provider.allowLoopbackHttp, provider.privateHosts]);
    const key = `${provider.id} ${signature}`;
    let endpoint = this.#endpoints.get(key);
    if (!endpoint) {
      const client = new EndpointClient(provider.source.endpoint, provider, provider.source.timeoutMs);
      this.#endpoints.set(key, (endpoint = { provider, signature, client, circuit: new Circuit(this.#now), usedAt: 0 }));
    }
    endpoint.usedAt = this.#now();
    return endpoint;
  }

  #remember(key: string, answer: IntrospectionAnswer, seconds: number): void {
    this.#negative.delete(key);
    this.#negative.set(key, { answer, until: this.#now() + seconds * 1000 });
    if (this.#negative.size <= INTROSPECTION_LIMITS.negativeEntries) return;
    const oldest = this.#negative.keys().next().value;
    if (oldest !== undefined) this.#negative.delete(oldest);
  }

  async #call({ provider, client, circuit }: Endpoint, token: string): Promise<IntrospectionAnswer> {
    circuit.begin();
    let answer: IntrospectionAnswer;
    try {
      const { status, text } = await client.call(await requestFor(provider, token, this.#secrets, this.#now()));
      answer = answerOf(status, text, provider.source.endpoint);
    } catch (error) {
      answer = { outcome: 'unavailable', reason: (error as Error).message };
    }
    if (circuit.end(problemOf(answer, provider))) this.#changed();
    return answer;
  }
}

/** The request of RFC 7662 section 2.1, with the client authentication of RFC 6749 section 2.3.1 or RFC 7523 section 2.2. */
async function requestFor(provider: OpaqueProvider, token: string, secrets: SecretSource, nowMs: number): Promise<EndpointRequest> {
  const { source } = provider;
  if (source.kind === 'userinfo') return { method: 'GET', headers: { authorization: `Bearer ${token}`, accept: 'application/json' } };
  const { method, clientId, secret: name } = source.credential;
  const secret = secrets.value(name);
  if (secret === null) throw new Error('the secret of the gateway’s own client is not on this node');
  const form = new URLSearchParams({ token, token_type_hint: 'access_token' });
  const headers: Record<string, string> = { 'content-type': 'application/x-www-form-urlencoded', accept: 'application/json' };
  switch (method) {
    case 'client_secret_basic':
      headers['authorization'] = `Basic ${Buffer.from(`${formEncoded(clientId)}:${formEncoded(secret)}`).toString('base64')}`;
      break;
    case 'client_secret_post':
      form.set('client_id', clientId);
      form.set('client_secret', secret);
      break;
    case 'private_key_jwt':
      form.set('client_id', clientId);
      form.set('client_assertion_type', 'urn:ietf:params:oauth:client-assertion-type:jwt-bearer');
      form.set('client_assertion', await assertionOf(clientId, secret, provider.issuer, nowMs));
  }
  return { method: 'POST', headers, body: form.toString() };
}

const formEncoded = (text: string): string => new URLSearchParams({ x: text }).toString().slice(2);

/** RFC 7523 section 3; the audience is the provider's issuer. */
async function assertionOf(clientId: string, secret: string, audience: string, nowMs: number): Promise<string> {
  const jwk = JSON.parse(secret) as JWK;
  const alg = jwk.alg ?? ({ RSA: 'RS256', EC: 'ES256', OKP: 'EdDSA' } as Readonly<Record<string, string>>)[jwk.kty ?? ''] ?? 'RS256';
  const now = Math.floor(nowMs / 1000);
  return new SignJWT({ iss: clientId, sub: clientId, aud: audience, jti: randomUUID(), iat: now, exp: now + 60 })
    .setProtectedHeader({ alg, ...(jwk.kid ? { kid: jwk.kid } : {}) })
    .sign(await importJWK(jwk, alg));
}

function isNegative(answer: IntrospectionAnswer, provider: OpaqueProvider): boolean {
  if (answer.outcome === 'unavailable') return false;
  if (provider.source.kind === 'userinfo') return [400, 401, 403, 404].includes(answer.status);
  return answer.status === 200 && (answer.document as { active?: unknown } | null)?.active === false;
}

/** Why an answer is none, for the circuit and the console; null when it is one. */
function problemOf(answer: IntrospectionAnswer, provider: OpaqueProvider): string | null {
  if (answer.outcome === 'unavailable') return answer.reason;
  const { status } = answer;
  if (status >= 200 && status < 300) return null;
  if (provider.source.kind === 'userinfo' && [400, 401, 403, 404].includes(status)) return null;
  const said = (answer.document as { error?: unknown } | null)?.error;
  return `${provider.source.endpoint} answered ${status}${typeof said === 'string' ? `, ${said.slice(0, 100)}` : ''}`;
}

/** An answer of success counts only as JSON that every reader takes alike: `active` that stands twice is neither. Others say enough by their status. */
function answerOf(status: number, text: string | null, endpoint: string): IntrospectionAnswer {
  const read = text === null ? NO_TEXT : readTypedJson(text);
  if (read.kind === 'value') return { outcome: 'answered', status, document: read.value };
  return status >= 200 && status < 300 ? { outcome: 'unavailable', reason: `${endpoint} sent ${read.says}` } : { outcome: 'answered', status, document: null };
}
