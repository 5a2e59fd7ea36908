import { isRecord, joinDocument, partsNamed, type CarriedDocument, type OperationRule, type ReleaseDocument } from '@virga/core';
import { SealedFile } from './sealed-file.js';
import { SealedLog } from './sealed-log.js';

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

/** The same as it came: parts beside the rest, so that sealing never takes long at one time. */
export interface KeptRelease extends Omit<ReleaseSnapshot, 'document'> {
  readonly document: CarriedDocument;
  readonly parts: ReadonlyMap<string, string>;
}

const WHAT = 'the last good release';

/** The last good release on disk: an entry with all but the parts, then one for each part. */
export class Snapshot {
  readonly #log: SealedLog;
  /** How earlier versions kept it: in one piece, in the same file. */
  readonly #whole: SealedFile;

  constructor(token: string, file: string) {
    this.#log = new SealedLog(token, WHAT, file);
    this.#whole = new SealedFile(token, WHAT, file);
  }

  get problem(): string | null {
    return this.#log.problem;
  }

  write({ parts, ...head }: KeptRelease): Promise<void> {
    return this.#log.begin([head, ...parts]);
  }

  /** Resolves when what is being written is written, or could not be. */
  settle(): Promise<void> {
    return this.#log.settle();
  }

  tick(): void {
    this.#log.tick();
  }

  /** The last good release; null when there is none, `unreadable` when what is there was not written by this node as it stands. */
  async read(): Promise<ReleaseSnapshot | null | 'unreadable'> {
    const entries = await this.#log.read();
    if (entries === null) return null;
    if (entries !== 'unreadable') return readSnapshot(entries[0], entries.slice(1));
    const kept = await this.#whole.read();
    return kept.state === 'read' ? readSnapshot(kept.value, []) : 'unreadable';
  }
}

function readSnapshot(head: unknown, entries: readonly unknown[]): ReleaseSnapshot | 'unreadable' {
  if (!isRecord(head)) return 'unreadable';
  const { number, hash, document: carried, withFacts } = head;
  if (typeof number !== 'number' || typeof hash !== 'string' || !isRecord(carried) || typeof withFacts !== 'boolean') return 'unreadable';
  // Earlier versions had no directory.
  const withDirectory = head['withDirectory'] ?? false;
  if (typeof withDirectory !== 'boolean') return 'unreadable';
  const parts = new Map<unknown, readonly OperationRule[]>();
  for (const entry of entries) {
    const [name, text] = Array.isArray(entry) ? (entry as unknown[]) : [];
    if (typeof text !== 'string') return 'unreadable';
    parts.set(name, JSON.parse(text) as OperationRule[]);
  }
  if (!partsNamed(carried).every((name) => parts.has(name))) return 'unreadable';
  const document = joinDocument(carried, (name) => parts.get(name));
  return { number, hash, document: document as ReleaseDocument, withFacts, withDirectory };
}
