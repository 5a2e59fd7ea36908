import { generateKeyPairSync } from 'node:crypto';
import type { IncomingMessage, ServerResponse } from 'node:http';

/** Ways in which a provider can be disturbed on request, each for a time. */
export const MOODS = ['outage', 'slow', 'failing', 'wrong-issuer', 'weak-key', 'huge-document', 'not-json'] as const;
export type Mood = (typeof MOODS)[number];

const DEFAULT_MS = 10_000;
const LONGEST_MS = 3_600_000;
const HUGE_BYTES = 4 * 1024 * 1024;

/** The moods that a stand-in provider is in. Every one ends by itself. */
export class Moods {
  readonly #until = new Map<Mood, number>();
  #slowMs = 3000;
  #weakKey: object | null = null;

  /** @param ms how long it lasts, 0 to one hour */
  begin(mood: Mood, ms: number, slowMs: number | null): number {
    const until = Date.now() + Math.min(LONGEST_MS, Math.max(0, Number.isFinite(ms) ? ms : DEFAULT_MS));
    this.#until.set(mood, until);
    if (slowMs !== null && Number.isFinite(slowMs)) this.#slowMs = Math.min(60_000, Math.max(0, slowMs));
    return until;
  }

  calm(): void {
    this.#until.clear();
  }

  is(mood: Mood): boolean {
    return Date.now() < (this.#until.get(mood) ?? 0);
  }

  get current(): Mood[] {
    return MOODS.filter((mood) => this.is(mood));
  }

  /** Spoils an answer as the moods say. @returns true when nothing is left to answer */
  async spoil(req: IncomingMessage, res: ServerResponse, issuer: string): Promise<boolean> {
    if (this.is('outage')) {
      req.socket.destroy();
      return true;
    }
    if (this.is('slow')) await new Promise((resolve) => setTimeout(resolve, this.#slowMs));
    if (this.is('failing')) return send(res, 500, JSON.stringify({ error: 'server_error', error_description: 'the stand-in fails on request' }));
    const path = new URL(req.url ?? '/', issuer).pathname;
    const isMetadata = path.includes('/.well-known/');
    if (this.is('not-json') && (isMetadata || path === '/jwks')) return send(res, 200, '<!doctype html><title>Maintenance</title>');
    if (this.is('huge-document') && (isMetadata || path === '/jwks')) return send(res, 200, JSON.stringify({ issuer, padding: 'x'.repeat(HUGE_BYTES) }));
    if (this.is('wrong-issuer') && isMetadata) return send(res, 200, JSON.stringify({ issuer: `${issuer}/`, jwks_uri: `${issuer}/jwks` }));
    if (this.is('weak-key') && path === '/jwks') return send(res, 200, JSON.stringify({ keys: [this.#weak()] }));
    return false;
  }

  /** An RSA key of 1024 bits, which RFC 7518 section 3.3 does not allow. */
  #weak(): object {
    this.#weakKey ??= { ...generateKeyPairSync('rsa', { modulusLength: 1024 }).publicKey.export({ format: 'jwk' }), kid: 'weak', alg: 'RS256', use: 'sig' };
    return this.#weakKey;
  }
}

function send(res: ServerResponse, status: number, body: string): true {
  res.writeHead(status, { 'content-type': 'application/json' });
  res.end(body);
  return true;
}
