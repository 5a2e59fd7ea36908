import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import Provider from 'oidc-provider';
import { addGrants } from './extra-grants.js';
import { providerConfiguration } from './configuration.js';
import type { House } from './house.js';
import { memoryStore } from './memory-store.js';
import { MOODS, Moods, type Mood } from '../moods.js';
import { signInPage } from './sign-in-page.js';
import { SigningKeys } from './signing-keys.js';

/** A stand-in identity provider for one house, with handles to disturb it on request. */
export class StandinProvider {
  readonly issuer: string;
  readonly #house: House;
  readonly #keys: SigningKeys;
  readonly #redirectUris: readonly string[];
  readonly #moods = new Moods();
  readonly #store = memoryStore();
  #provider: Provider | null = null;
  #server: Server | null = null;
  #introspections = 0;

  constructor(house: House, issuer: string, keyFile: string, redirectUris: readonly string[]) {
    this.issuer = issuer;
    this.#house = house;
    this.#keys = new SigningKeys(keyFile, house.algorithm, house.keyPrefix);
    this.#redirectUris = redirectUris;
  }

  async start(port: number, host: string): Promise<void> {
    await this.#keys.load();
    this.#provider = this.#make();
    this.#server = createServer((req, res) => {
      this.#serve(req, res).catch((error: Error) => {
        if (!res.headersSent) res.writeHead(error.message.includes('interaction session') ? 400 : 500, { 'content-type': 'text/plain; charset=utf-8' });
        res.end(`This sign-in cannot go on: ${error.message}`);
      });
    });
    await new Promise<void>((resolve, reject) => this.#server?.once('error', reject).listen(port, host, resolve));
  }

  /** A provider with the present keys. All of them share one store, so sessions outlive a rotation. */
  #make(): Provider {
    const provider = new Provider(this.issuer, { ...providerConfiguration(this.#house, this.#keys, this.#redirectUris), adapter: this.#store });
    addGrants(provider, this.#house);
    provider.on('server_error', (_ctx, error: Error) => console.error(`${this.#house.name}: ${error.stack ?? error.message}`));
    return provider;
  }

  async #serve(req: IncomingMessage, res: ServerResponse): Promise<void> {
    const url = new URL(req.url ?? '/', this.issuer);
    if (url.pathname.startsWith('/standin/')) return this.#handle(req, res, url);
    if (url.pathname === '/token/introspection') this.#introspections++;
    if (await this.#moods.spoil(req, res, this.issuer)) return;
    const provider = this.#provider as Provider;
    if (url.pathname.startsWith('/sign-in/')) return signInPage(provider, this.#house, req, res);
    await provider.callback()(req, res);
  }

  async #handle(req: IncomingMessage, res: ServerResponse, url: URL): Promise<void> {
    const name = url.pathname.slice('/standin/'.length);
    const number = (parameter: string): number | null => (url.searchParams.has(parameter) ? Number(url.searchParams.get(parameter)) : null);
    if (req.method === 'GET' && name === 'state') {
      return sendJson(res, 200, { moods: this.#moods.current, introspections: this.#introspections, keys: this.#keys.keys.map((key) => key.kid) });
    }
    if (req.method === 'POST' && name === 'rotate-keys') {
      await this.#keys.rotate(url.searchParams.get('withdraw') === 'true');
      this.#provider = this.#make();
      return sendJson(res, 200, { keys: this.#keys.keys.map((key) => key.kid) });
    }
    if (req.method === 'POST' && name === 'calm') {
      this.#moods.calm();
      return sendJson(res, 200, { moods: [] });
    }
    if (req.method === 'POST' && (MOODS as readonly string[]).includes(name)) {
      return sendJson(res, 200, { until: this.#moods.begin(name as Mood, number('ms') ?? Number.NaN, number('slow')) });
    }
    return sendJson(res, 404, { error: `there are state by GET, and rotate-keys, calm, ${MOODS.join(', ')} by POST with ?ms=` });
  }

  facts(): object {
    return {
      name: this.#house.name,
      kind: 'provider',
      address: this.issuer,
      issuer: this.issuer,
      tokenEndpoint: `${this.issuer}/token`,
      ...(this.#house.accessTokens === 'opaque' ? { introspectionEndpoint: `${this.issuer}/token/introspection` } : {}),
      rotateKeys: `POST ${this.issuer}/standin/rotate-keys`,
      disturb: MOODS.map((mood) => `POST ${this.issuer}/standin/${mood}?ms=10000`),
      clients: this.#house.programs.map((program) => ({ ...program, redirectUris: program.grants.includes('authorization_code') ? this.#redirectUris : [] })),
      users: this.#house.people,
    };
  }
}

function sendJson(res: ServerResponse, status: number, body: object): void {
  res.writeHead(status, { 'content-type': 'application/json' });
  res.end(JSON.stringify(body));
}
