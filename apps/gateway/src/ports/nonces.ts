import type { NonceSource } from '@virga/core';
import { createHmac, timingSafeEqual } from 'node:crypto';

/** A nonce is handed out for this long, and taken for as long again. */
export const NONCE_WINDOW_MS = 60_000;

/**
 * Nonces for DPoP proofs (RFC 9449 section 8) that need no memory: an HMAC over the time window. All nodes with the same
 * token make and take the same ones.
 */
export class Nonces implements NonceSource {
  readonly #key: Buffer;

  /** @param secret the token that the nodes of one control plane share */
  constructor(secret: string) {
    this.#key = createHmac('sha256', secret).update('nonces of proofs').digest();
  }

  current(nowMs: number): string {
    return this.#of(Math.floor(nowMs / NONCE_WINDOW_MS)).toString('base64url');
  }

  accepts(nonce: string, nowMs: number): boolean {
    const given = Buffer.from(nonce, 'base64url');
    const window = Math.floor(nowMs / NONCE_WINDOW_MS);
    return [window, window - 1].some((at) => {
      const wanted = this.#of(at);
      return given.length === wanted.length && timingSafeEqual(given, wanted);
    });
  }

  #of(window: number): Buffer {
    return createHmac('sha256', this.#key).update(String(window)).digest().subarray(0, 18);
  }
}
