import { Directory, isRecord, readChanges, type DirectoryChange, type DirectorySource } from '@virga/core';
import type { FeedMessage } from '@virga/protocol/node';
import { SealedLog } from '../snapshot/sealed-log.js';

type DirectoryMessage = Extract<FeedMessage, { type: 'directory' }>;

/** Changes in one entry on disk: sealing more of them would keep the thread that serves for too long. */
const ENTRY_CHANGES = 500;
/** Changes added behind a whole directory before it is written anew. */
const REWRITE_AFTER = 2000;

/**
 * The clients that a node knows, as the control plane told it: whole once, then change by change. Kept on disk sealed, so
 * that a node that starts alone still knows them, and which of their credentials are revoked.
 */
export class ClientDirectory {
  readonly #log: SealedLog;
  #directory = new Directory();
  #number: number | null = null;
  /** A whole directory that is coming in, which replaces the one in force when its last part is there. */
  #coming: { readonly directory: Directory; readonly number: number } | null = null;
  #added = 0;

  constructor(token: string, file: string) {
    this.#log = new SealedLog(token, 'the clients of the directory', file);
  }

  /** What decisions look at. */
  get source(): DirectorySource {
    return this.#directory;
  }

  get clients(): number {
    return this.#directory.clients;
  }

  /** The number of the last change in force; null before any directory is known. */
  get number(): number | null {
    return this.#number;
  }

  get problem(): string | null {
    return this.#log.problem;
  }

  /**
   * Takes what the control plane sent, at once.
   * @returns false when something came before it that never arrived, or when it cannot be read: the whole is needed then
   */
  take({ number, whole, changes: sent }: DirectoryMessage): boolean {
    const changes = readChanges(sent);
    if (changes === null || !Number.isInteger(number)) return false;
    if (whole === null) return this.#change(number, changes);
    if (whole.first) this.#coming = { directory: new Directory(), number };
    if (this.#coming?.number !== number) return false;
    this.#coming.directory.apply(changes);
    if (!whole.last) return true;
    this.#directory = this.#coming.directory;
    this.#number = number;
    this.#coming = null;
    this.#keepWhole();
    return true;
  }

  #change(number: number, changes: readonly DirectoryChange[]): boolean {
    if (this.#number === null || this.#coming !== null || number !== this.#number + 1) return false;
    this.#directory.apply(changes);
    this.#number = number;
    this.#added += changes.length;
    if (this.#added > REWRITE_AFTER) this.#keepWhole();
    else void this.#log.add({ number, changes });
    return true;
  }

  #keepWhole(): void {
    this.#added = 0;
    const entries: { number: number | null; changes: DirectoryChange[] }[] = [];
    let changes: DirectoryChange[] = [];
    for (const change of this.#directory.changes()) {
      changes.push(change);
      if (changes.length < ENTRY_CHANGES) continue;
      entries.push({ number: null, changes });
      changes = [];
    }
    // The number stands behind the rest: without it nothing of the file counts.
    void this.#log.begin([...entries, { number: this.#number, changes }]);
  }

  /** Resolves when what is being written is written, or could not be. */
  settle(): Promise<void> {
    return this.#log.settle();
  }

  tick(): void {
    this.#log.tick();
  }

  /** Reads what was kept. @returns whether there is nothing that cannot be read */
  async restore(): Promise<boolean> {
    const entries = await this.#log.read();
    if (entries === null) return true;
    if (entries === 'unreadable') return false;
    const directory = new Directory();
    let number: number | null = null;
    for (const entry of entries) {
      const changes = isRecord(entry) ? readChanges(entry['changes']) : null;
      if (!isRecord(entry) || changes === null) return false;
      directory.apply(changes);
      const at = entry['number'];
      if (typeof at === 'number') number = at;
      else if (at !== null || number !== null) return false;
    }
    if (number === null) return false;
    this.#directory = directory;
    this.#number = number;
    return true;
  }
}
