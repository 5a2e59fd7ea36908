import type { TraceView } from '@virga/protocol';
import { fork, type ChildProcess } from 'node:child_process';
import { mkdtempSync, readFileSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';

const PROGRAM = fileURLToPath(new URL('../dist/main.js', import.meta.url));
const STANDINS = fileURLToPath(new URL('../../standins/dist/main.js', import.meta.url));
export const PASSWORD = 'a password of the test';

async function freePorts(count: number): Promise<number> {
  for (;;) {
    // Below those that the system gives to connections by itself, one of which could take it meanwhile.
    const base = 20_000 + Math.floor(Math.random() * 12_000);
    const free = await Promise.all(
      Array.from(
        { length: count },
        (_, index) =>
          new Promise<boolean>((resolve) => {
            const server = createServer().once('error', () => resolve(false));
            server.listen(base + index, '127.0.0.1', () => server.close(() => resolve(true)));
          }),
      ),
    );
    if (free.every(Boolean)) return base;
  }
}

const ended = (child: ChildProcess): Promise<number | null> =>
  new Promise((resolve) => (child.exitCode === null && child.signalCode === null ? child.once('exit', (code) => resolve(code)) : resolve(child.exitCode)));

/** Looks again and again, 50 ms apart, until something is there. @param what named when it never is @param withinMs longer than it takes on a machine under load */
export async function until<T>(look: () => Promise<T | null | false | undefined> | T | null | false | undefined, what = 'it', withinMs = 90_000): Promise<T> {
  for (const from = Date.now(); Date.now() - from < withinMs;) {
    const found = await look();
    if (found) return found;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  throw new Error(`${what} did not happen`);
}

/** A control plane as users start it: the built program in a process of its own. */
export class RunningServer {
  readonly folder: string;
  port = 0;
  child: ChildProcess | null = null;
  output = '';
  /** Beside those that every one has. */
  settings: Readonly<Record<string, string>> = {};

  constructor(folder = mkdtempSync(join(tmpdir(), 'virga-server-'))) {
    this.folder = folder;
  }

  get url(): string {
    return `http://127.0.0.1:${this.port}`;
  }
  get gatewayUrl(): string {
    return `http://127.0.0.1:${this.port + 1}`;
  }
  get portalUrl(): string {
    return `http://127.0.0.1:${this.port + 2}`;
  }
  get token(): string {
    return readFileSync(join(this.folder, 'control-token'), 'utf8').trim();
  }

  /** @returns the exit code when it could not start, else null */
  async start(args: string[] = []): Promise<number | null> {
    if (this.port === 0) this.port = await freePorts(3);
    const child = fork(PROGRAM, args, {
      env: { ...process.env, NODE_OPTIONS: '', VIRGA_DATA: this.folder, VIRGA_PORT: String(this.port), VIRGA_OPERATOR_PASSWORD: PASSWORD, ...this.settings },
      stdio: ['ignore', 'pipe', 'pipe', 'ipc'],
    });
    this.child = child;
    child.stdout?.on('data', (part) => (this.output += String(part)));
    child.stderr?.on('data', (part) => (this.output += String(part)));
    return new Promise((resolve) => {
      child.once('message', () => resolve(null));
      child.once('exit', (code) => resolve(code ?? -1));
    });
  }

  async stop(signal: 'SIGTERM' | 'SIGKILL' = 'SIGTERM'): Promise<void> {
    const { child } = this;
    if (!child) return;
    child.kill(signal);
    await ended(child);
    this.child = null;
  }

  async call<T = Record<string, never>>(
    method: string,
    path: string,
    body?: unknown,
    headers: Record<string, string> = { authorization: `Bearer ${this.token}` },
  ) {
    const answer = await fetch(this.url + path, {
      method,
      headers: { ...headers, ...(body === undefined ? {} : { 'content-type': 'application/json' }) },
      ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }),
    });
    const text = await answer.text();
    return { status: answer.status, headers: answer.headers, text, body: (text.startsWith('{') ? JSON.parse(text) : null) as T };
  }

  /** Like `call` below /control/v1; fails the test for an error. */
  async ok<T = Record<string, never>>(method: string, path: string, body?: unknown): Promise<T> {
    const answer = await this.call<T>(method, `/control/v1${path}`, body);
    if (answer.status >= 300) throw new Error(`${method} ${path}: ${answer.status} ${answer.text}`);
    return answer.body;
  }

  /** The trace of an answer of the gateway, once the node has told of it. */
  traceOf(answer: Response): Promise<TraceView> {
    const id = answer.headers.get('x-request-id') ?? '';
    return until(async () => {
      const found = await this.call<TraceView>('GET', `/control/v1/traces/${id}`);
      return found.status === 200 && found.body;
    }, `the trace ${id}`);
  }
}

export interface Standins {
  readonly issuer: string;
  readonly gates: string;
  readonly meters: string;
  readonly registry: string;
  readonly dunlin: string;
  readonly allotments: string;
  readonly child: ChildProcess;
  stop(signal?: NodeJS.Signals): Promise<void>;
  token(client: string, scope: string, resource?: string): Promise<string>;
}

/** The stand-ins as the demo starts them. */
export async function startStandins(folder: string, consoleUrl: string, at?: number): Promise<Standins> {
  const port = at ?? (await freePorts(7));
  const child = fork(STANDINS, [], {
    env: { ...process.env, NODE_OPTIONS: '', VIRGA_STANDIN_PORT: String(port), VIRGA_STANDIN_DATA: folder, VIRGA_CONSOLE_URL: consoleUrl },
    stdio: ['ignore', 'ignore', 'ignore', 'ipc'],
  });
  await new Promise((resolve, reject) => {
    child.once('message', resolve);
    child.once('exit', () => reject(new Error('the stand-ins could not start')));
  });
  const issuer = `http://127.0.0.1:${port}`;
  return {
    issuer,
    gates: `http://127.0.0.1:${port + 1}`,
    meters: `http://127.0.0.1:${port + 2}`,
    registry: `http://127.0.0.1:${port + 3}`,
    dunlin: `http://127.0.0.1:${port + 4}`,
    allotments: `http://127.0.0.1:${port + 6}`,
    child,
    stop: async (signal = 'SIGTERM') => {
      child.kill(signal);
      await ended(child);
    },
    token: async (client, scope, resource) => {
      const answer = await fetch(`${issuer}/token`, {
        method: 'POST',
        headers: { authorization: `Basic ${Buffer.from(client).toString('base64')}`, 'content-type': 'application/x-www-form-urlencoded' },
        body: new URLSearchParams({ grant_type: 'client_credentials', scope, ...(resource ? { resource } : {}) }),
      });
      return ((await answer.json()) as { access_token: string }).access_token;
    },
  };
}

export const CONTRACT = `openapi: 3.1.0
info: { title: Gates, version: '1.0' }
security: [{ trust: [gates:read] }]
paths:
  /gates: { get: { operationId: list, summary: List } }
  /gates/{gateId}/positions: { post: { operationId: move, security: [{ trust: [gates:operate] }] } }
  /sections: { get: { security: [] } }
components:
  securitySchemes:
    trust: { type: oauth2, flows: { clientCredentials: { tokenUrl: 'https://x.example/t', scopes: { 'gates:read': Look, 'gates:operate': Move } } } }
`;
export const RESOURCE = 'https://gates.test.example';

/** Brings the test API in, trusts the stand-in, binds and publishes. */
export async function publishGates(server: RunningServer, standins: Standins): Promise<{ apiId: string; providerId: string }> {
  const provider = await server.ok<{ id: string }>('POST', '/providers', { name: 'Trust', issuer: standins.issuer, allowLoopbackHttp: true });
  const { api } = await server.ok<{ api: { id: string; schemes: object[]; resource: object } }>('POST', '/apis', {
    source: { text: CONTRACT },
    basePath: '/gates',
    upstreamUrl: standins.gates,
  });
  await server.ok('PATCH', `/apis/${api.id}`, {
    schemes: api.schemes.map((scheme) => ({ ...scheme, providers: [provider.id] })),
    resource: { ...api.resource, identifier: RESOURCE },
    token: { type: 'at+jwt', anyAudience: false, audiences: [RESOURCE] },
  });
  await server.ok('POST', '/releases', { note: 'first' });
  return { apiId: api.id, providerId: provider.id };
}

/** Asks a stand-in provider for something at its token endpoint. */
export async function askToken(issuer: string, client: string, form: Record<string, string>): Promise<Record<string, string>> {
  const answer = await fetch(`${issuer}/token`, {
    method: 'POST',
    headers: { authorization: `Basic ${Buffer.from(client).toString('base64')}`, 'content-type': 'application/x-www-form-urlencoded' },
    body: new URLSearchParams(form),
  });
  return (await answer.json()) as Record<string, string>;
}

/** A browser with a memory for cookies, and no more. */
function makeBrowser(): (url: string, init?: RequestInit) => Promise<Response> {
  const cookies = new Map<string, string>();
  return async (url, init = {}) => {
    const cookie = [...cookies].map(([key, value]) => `${key}=${value}`).join('; ');
    const answer = await fetch(url, { ...init, redirect: 'manual', headers: { ...(init.headers as Record<string, string>), cookie } });
    for (const line of answer.headers.getSetCookie()) {
      const [pair = ''] = line.split(';');
      cookies.set(pair.slice(0, pair.indexOf('=')), pair.slice(pair.indexOf('=') + 1));
    }
    return answer;
  };
}

const posted = (form: Record<string, string>): RequestInit => ({
  method: 'POST',
  headers: { 'content-type': 'application/x-www-form-urlencoded' },
  body: new URLSearchParams(form).toString(),
});

type Browser = ReturnType<typeof makeBrowser>;

/** Follows redirects and signs in where it is asked to. @returns the last answer and where it came from */
async function walk(browser: Browser, address: string, first: RequestInit, name: string): Promise<{ answer: Response; at: string }> {
  let at = address;
  let init = first;
  for (let hop = 0; hop < 12; hop++) {
    const page = new URL(at).pathname.startsWith('/sign-in/');
    const answer = await browser(at, page ? posted({ name, password: 'shared-water' }) : init);
    const location = answer.headers.get('location');
    if (location === null) return { answer, at };
    at = new URL(location, at).href;
    init = {};
    if (new URL(at).origin !== new URL(address).origin) return { answer, at };
  }
  throw new Error('the sign-in leads round in circles');
}

/** Signs in at a stand-in's page as a browser would. @returns where the provider sends the browser in the end */
export async function signInAt(address: string, name: string): Promise<string> {
  const { answer, at } = await walk(makeBrowser(), address, {}, name);
  if (answer.headers.get('location') === null) throw new Error(`${answer.status} at ${at}: ${(await answer.text()).slice(0, 300)}`);
  return at;
}

/** Enters a device code at a stand-in's page, confirms it and signs in (RFC 8628 section 3.3). */
export async function enterCode(address: string, name: string): Promise<void> {
  const browser = makeBrowser();
  const hidden = (html: string, field: string): string => new RegExp(`name="${field}" value="([^"]*)"`).exec(html)?.[1] ?? '';
  const shown = await (await browser(address)).text();
  const device = new URL('/device', address).href;
  const xsrf = hidden(shown, 'xsrf');
  const code = hidden(shown, 'user_code') || (new URL(address).searchParams.get('user_code') ?? '');
  let { answer } = await walk(browser, device, posted({ xsrf, user_code: code, confirm: 'yes' }), name);
  const asked = await answer.text();
  if (hidden(asked, 'xsrf') !== '') ({ answer } = await walk(browser, device, posted({ xsrf: hidden(asked, 'xsrf'), user_code: code, confirm: 'yes' }), name));
  if (!answer.ok) throw new Error(`the code was not taken: ${answer.status}`);
}
