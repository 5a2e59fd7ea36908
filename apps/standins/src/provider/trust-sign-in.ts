import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import Provider from 'oidc-provider';
import { PEOPLE, PROGRAMS } from './people.js';
import { providerConfiguration } from './configuration.js';
import { signInPage } from './sign-in-page.js';
import { SigningKeys } from './signing-keys.js';

/** The stand-in identity provider “Trust Sign-in”, with a few handles to disturb it on request. */
export class TrustSignIn {
  readonly issuer: string;
  readonly #keys: SigningKeys;
  readonly #redirectUris: readonly string[];
  #provider: Provider | null = null;
  #server: Server | null = null;
  #awayUntil = 0;

  constructor(issuer: string, keyFile: string, redirectUris: readonly string[]) {
    this.issuer = issuer;
    this.#keys = new SigningKeys(keyFile);
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
    const provider = new Provider(this.issuer, providerConfiguration(this.#keys, this.#redirectUris));
    provider.on('server_error', (_ctx, error: Error) => console.error(`Trust Sign-in: ${error.stack ?? error.message}`));
    return provider;
  }

  async #serve(req: IncomingMessage, res: ServerResponse): Promise<void> {
    const url = new URL(req.url ?? '/', this.issuer);
    if (url.pathname.startsWith('/standin/')) return this.#handle(req, res, url);
    if (Date.now() < this.#awayUntil) return void req.socket.destroy();
    const provider = this.#provider as Provider;
    if (url.pathname.startsWith('/sign-in/')) return signInPage(provider, req, res);
    await provider.callback()(req, res);
  }

  async #handle(req: IncomingMessage, res: ServerResponse, url: URL): Promise<void> {
    if (req.method === 'POST' && url.pathname === '/standin/rotate-keys') {
      await this.#keys.rotate(url.searchParams.get('withdraw') === 'true');
      this.#provider = this.#make();
      return sendJson(res, 200, { keys: this.#keys.keys.map((key) => key.kid) });
    }
    if (req.method === 'POST' && url.pathname === '/standin/outage') {
      this.#awayUntil = Date.now() + Math.min(3_600_000, Math.max(0, Number(url.searchParams.get('ms') ?? 10_000) || 0));
      return sendJson(res, 200, { awayUntil: this.#awayUntil });
    }
    return sendJson(res, 404, { error: 'there are rotate-keys and outage, by POST' });
  }

  facts(): object {
    return {
      name: 'Trust Sign-in',
      kind: 'provider',
      address: this.issuer,
      issuer: this.issuer,
      tokenEndpoint: `${this.issuer}/token`,
      rotateKeys: `POST ${this.issuer}/standin/rotate-keys`,
      outage: `POST ${this.issuer}/standin/outage?ms=10000`,
      clients: PROGRAMS.map((program) => ({ ...program, redirectUris: program.grants.includes('authorization_code') ? this.#redirectUris : [] })),
      users: PEOPLE,
    };
  }
}

function sendJson(res: ServerResponse, status: number, body: object): void {
  res.writeHead(status, { 'content-type': 'application/json' });
  res.end(JSON.stringify(body));
}
