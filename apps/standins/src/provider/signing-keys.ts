import { exportJWK, generateKeyPair, type JWK } from 'jose';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname } from 'node:path';

interface KeptKeys {
  readonly made: number;
  readonly keys: JWK[];
}

/** The provider's signing keys, kept on disk so that tokens outlive a restart. The newest comes first and signs. */
export class SigningKeys {
  readonly #file: string;
  #kept: KeptKeys = { made: 0, keys: [] };

  readonly #algorithm: 'RS256' | 'ES256';
  readonly #prefix: string;

  constructor(file: string, algorithm: 'RS256' | 'ES256', prefix: string) {
    this.#file = file;
    this.#algorithm = algorithm;
    this.#prefix = prefix;
  }

  async load(): Promise<void> {
    try {
      this.#kept = JSON.parse(readFileSync(this.#file, 'utf8')) as KeptKeys;
    } catch {
      await this.rotate(false);
    }
  }

  get keys(): JWK[] {
    return this.#kept.keys;
  }

  /** Makes a new key that signs from now on. @param withdraw takes the older ones out of the key set at once */
  async rotate(withdraw: boolean): Promise<void> {
    const { privateKey } = await generateKeyPair(this.#algorithm, { modulusLength: 2048, extractable: true });
    const made = this.#kept.made + 1;
    const key: JWK = { ...(await exportJWK(privateKey)), kid: `${this.#prefix}-${made}`, alg: this.#algorithm, use: 'sig' };
    this.#kept = { made, keys: withdraw ? [key] : [key, ...this.#kept.keys].slice(0, 4) };
    mkdirSync(dirname(this.#file), { recursive: true });
    writeFileSync(this.#file, JSON.stringify(this.#kept), { mode: 0o600 });
  }
}
