import { canonicalJson, type NotAsked, type SecretSource, type ServiceReply, type ServiceSource } from '@virga/core';
import { randomUUID } from 'node:crypto';
import { Circuit } from './circuit.js';
import { EndpointClient } from './endpoint-client.js';

interface Service {
  readonly circuit: Circuit;
  readonly client: EndpointClient;
  usedAt: number;
}

/** Calls of one service that may be under way at one time, and how long one that nobody asks is kept. */
export const SERVICE_LIMITS = { underWay: 500, idleMs: 60_000 } as const;

/**
 * Asks decision services, over connections that are kept. After failures in a row a service is left alone for a while: its
 * operations stay shut meanwhile, at once.
 */
export class DecisionServices {
  readonly #services = new Map<string, Service>();
  readonly #secrets: SecretSource;
  readonly #now: () => number;

  constructor(secrets: SecretSource, now: () => number) {
    this.#secrets = secrets;
    this.#now = now;
  }

  /** Never rejects: why there is no answer is said. @param body JSON text of an Access Evaluation request */
  async ask(source: ServiceSource, body: string): Promise<ServiceReply> {
    const { circuit, client } = this.#serviceOf(source);
    const headers: Record<string, string> = { 'content-type': 'application/json', accept: 'application/json', 'x-request-id': randomUUID() };
    const { credential } = source;
    if (credential !== null) {
      const secret = this.#secrets.value(credential.secret);
      if (secret === null) return unavailable('the secret that the service asks for is not on this node');
      headers['authorization'] = credential.kind === 'bearer' ? `Bearer ${secret}` : `Basic ${Buffer.from(`${credential.name}:${secret}`).toString('base64')}`;
    }
    if (circuit.underWay >= SERVICE_LIMITS.underWay) return { kind: 'busy', says: `${SERVICE_LIMITS.underWay} questions to it are under way already` };
    if (!circuit.mayTry()) return unavailable(`${circuit.problem ?? ''}; it is left alone for a moment after failures in a row`);
    circuit.begin();
    try {
      const { status, text } = await client.call({ method: 'POST', headers, body });
      // What the service says of the gateway's own question is a failure; a refusal of the caller is an answer.
      circuit.end(status === 200 ? null : `${source.url} answered ${status}`);
      return { kind: 'answer', status, text };
    } catch (error) {
      const { message } = error as Error;
      circuit.end(message);
      return unavailable(message);
    }
  }

  async close(): Promise<void> {
    await Promise.all([...this.#services.values()].map(({ client }) => client.close()));
    this.#services.clear();
  }

  #serviceOf({ url, credential, timeoutMs, allowLoopbackHttp, privateHosts }: ServiceSource): Service {
    const key = canonicalJson([url, credential, timeoutMs, allowLoopbackHttp, privateHosts]);
    let service = this.#services.get(key);
    if (!service) {
      this.#forget();
      const client = new EndpointClient(url, { allowLoopbackHttp, privateHosts }, timeoutMs);
      this.#services.set(key, (service = { circuit: new Circuit(this.#now), client, usedAt: 0 }));
    }
    service.usedAt = this.#now();
    return service;
  }

  /** Lets go what nobody asks any more. */
  #forget(): void {
    for (const [key, { circuit, client, usedAt }] of this.#services) {
      if (circuit.underWay > 0 || this.#now() - usedAt < SERVICE_LIMITS.idleMs) continue;
      this.#services.delete(key);
      void client.close();
    }
  }
}

const unavailable = (says: string): NotAsked => ({ kind: 'unavailable', says });
