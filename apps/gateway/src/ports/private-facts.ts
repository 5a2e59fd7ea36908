import { isRecord, Revocations, type Revocation, type SecretSource } from '@virga/core';
import { SealedFile } from '../snapshot/sealed-file.js';

interface Facts {
  readonly secrets: Readonly<Record<string, string>>;
  readonly revocations: readonly Revocation[];
}

/**
 * What a node knows beside its release: values of secrets, and revocations. They come over the node's own channel and are
 * kept on disk sealed, so that a node that starts alone still has them.
 */
export class PrivateFacts implements SecretSource {
  readonly #file: SealedFile;
  #secrets = new Map<string, string>();
  #revocations = new Revocations();
  #known = false;

  constructor(token: string, file: string) {
    // The words are those of earlier versions, whose files must open.
    this.#file = new SealedFile(token, 'private facts of a node', file);
  }

  /** Whether they were ever heard or read back. Without them nobody can tell which tokens are revoked. */
  get known(): boolean {
    return this.#known;
  }

  get problem(): string | null {
    return this.#file.problem;
  }

  get revocations(): Revocations {
    return this.#revocations;
  }

  value(name: string): string | null {
    return this.#secrets.get(name) ?? null;
  }

  /**
   * Takes what the control plane sent, at once, and keeps it. What has not the form of facts changes nothing: it must not
   * count as nothing revoked.
   * @throws Error
   */
  take(facts: Facts): Promise<void> {
    if (!isFacts(facts)) throw new Error('secrets and revocations came in a form that cannot be read; those known before stay in force');
    this.#set(facts);
    return this.#file.write(facts);
  }

  tick(): void {
    this.#file.tick();
  }

  /** Reads what was kept. @returns whether there is nothing that cannot be read */
  async restore(): Promise<boolean> {
    const kept = await this.#file.read();
    if (kept.state !== 'read') return kept.state === 'missing';
    if (!isFacts(kept.value)) return false;
    this.#set(kept.value);
    return true;
  }

  #set({ secrets, revocations }: Facts): void {
    this.#secrets = new Map(Object.entries(secrets));
    this.#revocations = new Revocations(revocations);
    this.#known = true;
  }
}

function isFacts(value: unknown): value is Facts {
  if (!isRecord(value) || !isRecord(value['secrets']) || !Array.isArray(value['revocations'])) return false;
  return value['revocations'].every((entry) => isRecord(entry) && typeof entry['value'] === 'string' && typeof entry['providerId'] === 'string');
}
