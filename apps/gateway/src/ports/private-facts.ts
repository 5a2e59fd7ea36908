import { SealedFile } from '../snapshot/sealed-file.js';
import { isFacts, KnownFacts, type Facts } from './known-facts.js';

/**
 * What a node knows beside its release: values of secrets, and revocations. They come over the node's own channel and are
 * kept on disk sealed, so that a node that starts alone still has them.
 */
export class PrivateFacts extends KnownFacts {
  readonly #file: SealedFile;
  #heard: Facts | null = null;

  constructor(token: string, file: string) {
    super();
    // The words are those of earlier versions, whose files must open.
    this.#file = new SealedFile(token, 'private facts of a node', file);
  }

  /** What was last heard or read back; null for nothing yet: without it nobody can tell which tokens are revoked. */
  get heard(): Facts | null {
    return this.#heard;
  }

  get problem(): string | null {
    return this.#file.problem;
  }

  /**
   * Takes what the control plane sent, at once, and keeps it. What has not the form of facts changes nothing.
   * @throws Error
   */
  take(facts: Facts): Promise<void> {
    if (!isFacts(facts)) throw new Error('secrets and revocations came in a form that cannot be read; those known before stay in force');
    this.#hear(facts);
    return this.#file.write(facts);
  }

  /** Resolves when what is being written is written, or could not be. */
  settle(): Promise<void> {
    return this.#file.settle();
  }

  tick(): void {
    this.#file.tick();
  }

  /** Reads what was kept. @returns whether there is nothing that cannot be read */
  async restore(): Promise<boolean> {
    const kept = await this.#file.read();
    if (kept.state !== 'read') return kept.state === 'missing';
    if (!isFacts(kept.value)) return false;
    this.#hear(kept.value);
    return true;
  }

  #hear(facts: Facts): void {
    this.set(facts);
    this.#heard = facts;
  }
}
