import type { PortalSite } from '@virga/protocol';
import { Agent, fetch as send, type Headers } from 'undici';
import type { RunningServer } from './harness.js';

let browsers = 0;

export interface Answer<T> {
  readonly status: number;
  readonly headers: Headers;
  readonly text: string;
  readonly body: T;
}

/** A browser at the portal, at an address of its own: it keeps cookies, sends the CSRF token of its session and says from which page it calls. */
export class PortalBrowser {
  readonly #server: RunningServer;
  readonly #agent: Agent;
  readonly address: string;
  readonly cookies = new Map<string, string>();
  csrf = '';

  constructor(server: RunningServer) {
    this.#server = server;
    // Attempts are counted by where they come from.
    this.address = `127.0.${10 + Math.floor(browsers / 250)}.${1 + (browsers++ % 250)}`;
    this.#agent = new Agent({ localAddress: this.address, keepAliveTimeout: 10, keepAliveMaxTimeout: 10 });
  }

  get cookie(): string {
    return [...this.cookies].map(([name, value]) => `${name}=${value}`).join('; ');
  }

  /** Waits where it tried too often, as the portal asks. */
  async call<T = Record<string, never>>(method: string, path: string, body?: unknown, headers: Record<string, string> = {}): Promise<Answer<T>> {
    for (let turn = 0; ; turn++) {
      const answer = await this.#send<T>(method, path, body, headers);
      if (answer.status !== 429 || turn >= 10) return answer;
      await new Promise((resolve) => setTimeout(resolve, Number(answer.headers.get('retry-after') ?? '1') * 1000));
    }
  }

  async #send<T>(method: string, path: string, body: unknown, headers: Record<string, string>): Promise<Answer<T>> {
    const answer = await send(`${this.#server.portalUrl}/portal/v1${path}`, {
      method,
      dispatcher: this.#agent,
      redirect: 'manual',
      headers: {
        cookie: this.cookie,
        origin: this.#server.portalUrl,
        'x-csrf-token': this.csrf,
        ...(body === undefined ? {} : { 'content-type': 'application/json' }),
        ...headers,
      },
      ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }),
    });
    for (const line of answer.headers.getSetCookie()) {
      const [pair = ''] = line.split(';');
      const at = pair.indexOf('=');
      if (/expires=Thu, 01 Jan 1970/i.test(line)) this.cookies.delete(pair.slice(0, at));
      else this.cookies.set(pair.slice(0, at), pair.slice(at + 1));
    }
    const text = await answer.text();
    return { status: answer.status, headers: answer.headers, text, body: (text.startsWith('{') ? JSON.parse(text) : null) as T };
  }

  /** Like `call`; fails the test for an error. */
  async ok<T = Record<string, never>>(method: string, path: string, body?: unknown): Promise<T> {
    const answer = await this.call<T>(method, path, body);
    if (answer.status >= 300) throw new Error(`${method} ${path}: ${answer.status} ${answer.text}`);
    return answer.body;
  }

  /** What the portal shows first; takes the CSRF token of the session. */
  async site(): Promise<PortalSite> {
    const site = await this.ok<PortalSite>('GET', '/site');
    this.csrf = site.session?.csrfToken ?? '';
    return site;
  }

  async signIn(name: string, password: string): Promise<PortalSite> {
    await this.ok('POST', '/session', { name, password });
    return this.site();
  }

  /** Takes an invitation with a new account. */
  async accept(link: string, name: string, password: string): Promise<PortalSite> {
    await this.ok('POST', '/invitations/account', { token: link.split('#')[1], name, shownName: `The ${name}`, password });
    return this.site();
  }
}
