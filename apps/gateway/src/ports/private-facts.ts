import { Revocations, type Revocation, type SecretSource } from '@virga/core';
import { createCipheriv, createDecipheriv, hkdfSync, randomBytes } from 'node:crypto';
import { mkdir, readFile, rename, writeFile } from 'node:fs/promises';
import { dirname } from 'node:path';

interface Facts {
  readonly secrets: Readonly<Record<string, string>>;
  readonly revocations: readonly Revocation[];
}

/**
 * What a node knows beside its release: values of secrets, and revocations. They come over the node's own channel and are
 * kept on disk sealed with a key made of the node's token, so that a node that starts alone still has them.
 */
export class PrivateFacts implements SecretSource {
  readonly #key: Buffer;
  readonly #file: string;
  #secrets = new Map<string, string>();
  #revocations = new Revocations();

  constructor(token: string, file: string) {
    this.#key = Buffer.from(hkdfSync('sha256', token, '', 'private facts of a node', 32));
    this.#file = file;
  }

  get revocations(): Revocations {
    return this.#revocations;
  }

  value(name: string): string | null {
    return this.#secrets.get(name) ?? null;
  }

  /** Takes what the control plane sent, and keeps it. */
  async take(facts: Facts): Promise<void> {
    this.#set(facts);
    const nonce = randomBytes(12);
    const cipher = createCipheriv('aes-256-gcm', this.#key, nonce);
    const sealed = Buffer.concat([nonce, cipher.update(JSON.stringify(facts), 'utf8'), cipher.final(), cipher.getAuthTag()]);
    await mkdir(dirname(this.#file), { recursive: true });
    await writeFile(`${this.#file}.next`, sealed, { mode: 0o600 });
    await rename(`${this.#file}.next`, this.#file);
  }

  /** Reads what was kept; a file that is missing, changed or of another token counts as nothing. */
  async restore(): Promise<void> {
    try {
      const sealed = await readFile(this.#file);
      const decipher = createDecipheriv('aes-256-gcm', this.#key, sealed.subarray(0, 12)).setAuthTag(sealed.subarray(-16));
      this.#set(JSON.parse(Buffer.concat([decipher.update(sealed.subarray(12, -16)), decipher.final()]).toString('utf8')) as Facts);
    } catch {
      // Without them, what needs a secret is refused until the control plane is reached.
    }
  }

  #set({ secrets, revocations }: Facts): void {
    this.#secrets = new Map(Object.entries(secrets));
    this.#revocations = new Revocations(revocations);
  }
}
