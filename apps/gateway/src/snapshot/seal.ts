import { createCipheriv, createDecipheriv, hkdfSync, randomBytes } from 'node:crypto';

const NONCE = 12;
const TAG = 16;

/** Seals what a node keeps on disk: AES-256-GCM with a key made of the node's token and of what it is for. */
export class Seal {
  readonly #key: Buffer;

  /** @param what the value in words */
  constructor(token: string, what: string) {
    this.#key = Buffer.from(hkdfSync('sha256', token, '', what, 32));
  }

  /**
   * A text, as nonce, cipher text and tag.
   * @param place what it is bound to; it opens nowhere else
   */
  close(text: string, place = ''): Buffer {
    const nonce = randomBytes(NONCE);
    const cipher = createCipheriv('aes-256-gcm', this.#key, nonce).setAAD(Buffer.from(place));
    return Buffer.concat([nonce, cipher.update(text, 'utf8'), cipher.final(), cipher.getAuthTag()]);
  }

  /** @throws Error when it was not sealed with this key, for this place, as it stands */
  open(sealed: Buffer, place = ''): string {
    const decipher = createDecipheriv('aes-256-gcm', this.#key, sealed.subarray(0, NONCE)).setAAD(Buffer.from(place)).setAuthTag(sealed.subarray(-TAG));
    return Buffer.concat([decipher.update(sealed.subarray(NONCE, -TAG)), decipher.final()]).toString('utf8');
  }
}
