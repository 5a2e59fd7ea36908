import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto';

/** Secrets encrypted at rest with AES-256-GCM; the key lives in a file of its own. */
export class Vault {
  readonly #key: Buffer;

  constructor(key: Buffer) {
    this.#key = key;
  }

  /** @param owner bound to the secret, so that it cannot be moved to another record */
  seal(secret: string, owner: string): string {
    const nonce = randomBytes(12);
    const cipher = createCipheriv('aes-256-gcm', this.#key, nonce).setAAD(Buffer.from(owner));
    const sealed = Buffer.concat([cipher.update(secret, 'utf8'), cipher.final()]);
    return Buffer.concat([nonce, cipher.getAuthTag(), sealed]).toString('base64url');
  }

  /** @throws when the key or the owner is another one, or the text was changed */
  open(sealed: string, owner: string): string {
    const bytes = Buffer.from(sealed, 'base64url');
    const decipher = createDecipheriv('aes-256-gcm', this.#key, bytes.subarray(0, 12)).setAAD(Buffer.from(owner)).setAuthTag(bytes.subarray(12, 28));
    return Buffer.concat([decipher.update(bytes.subarray(28)), decipher.final()]).toString('utf8');
  }
}
