import { isRecord, type ReleaseDocument } from '@virga/core';
import { SealedFile } from './sealed-file.js';

/** A release as it is kept on disk. */
export interface ReleaseSnapshot {
  readonly number: number;
  readonly hash: string;
  readonly document: ReleaseDocument;
  /** Whether the node knew secrets and revocations when it was kept; without them it is not served again. */
  readonly withFacts: boolean;
  /** Whether the node knew the clients of the directory, in the same way. */
  readonly withDirectory: boolean;
}

/** The last good release on disk. */
export class Snapshot {
  readonly #file: SealedFile;

  constructor(token: string, file: string) {
    this.#file = new SealedFile(token, 'the last good release', file);
  }

  get problem(): string | null {
    return this.#file.problem;
  }

  write(snapshot: ReleaseSnapshot): Promise<void> {
    return this.#file.write(snapshot);
  }

  tick(): void {
    this.#file.tick();
  }

  /** The last good release; null when there is none, `unreadable` when what is there was not written by this node as it stands. */
  async read(): Promise<ReleaseSnapshot | null | 'unreadable'> {
    const kept = await this.#file.read();
    if (kept.state === 'missing') return null;
    if (kept.state !== 'read' || !isRecord(kept.value)) return 'unreadable';
    const { number, hash, document, withFacts } = kept.value;
    if (typeof number !== 'number' || typeof hash !== 'string' || !isRecord(document) || typeof withFacts !== 'boolean') return 'unreadable';
    // Earlier versions had no directory.
    const withDirectory = kept.value['withDirectory'] ?? false;
    if (typeof withDirectory !== 'boolean') return 'unreadable';
    return { number, hash, document: document as unknown as ReleaseDocument, withFacts, withDirectory };
  }
}
