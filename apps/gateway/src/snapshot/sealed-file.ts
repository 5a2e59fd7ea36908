import { mkdir, readFile, rename, writeFile } from 'node:fs/promises';
import { dirname } from 'node:path';
import { Seal } from './seal.js';

/** What was found on disk. `unreadable`: there is something, and it was not written by this node as it stands. */
export type Unsealed = { readonly state: 'missing' | 'unreadable' } | { readonly state: 'read'; readonly value: unknown };

/**
 * A value on disk that only this node can have written. Written in one step, so that a crash leaves the old or the new one. One that could not be written, as on
 * a full disk, is kept in memory and tried again at each `tick`.
 */
export class SealedFile {
  readonly #seal: Seal;
  readonly #file: string;
  readonly #what: string;
  #next: string | null = null;
  #writing: Promise<void> | null = null;
  #problem: string | null = null;

  /** @param what the value in words, also what its key is made for */
  constructor(token: string, what: string, file: string) {
    this.#seal = new Seal(token, what);
    this.#file = file;
    this.#what = what;
  }

  /** Why the newest value is not on disk, in words; null when it is. */
  get problem(): string | null {
    return this.#problem;
  }

  /** Keeps a value; never throws. Resolves when it, or a newer one, was tried. */
  write(value: unknown): Promise<void> {
    this.#next = JSON.stringify(value);
    return this.#flush();
  }

  /** Resolves when what is being written is written, or could not be. */
  async settle(): Promise<void> {
    await this.#writing;
  }

  /** Tries again what could not be written. */
  tick(): void {
    if (this.#problem !== null) void this.#flush();
  }

  #flush(): Promise<void> {
    this.#writing ??= this.#writeAll().finally(() => (this.#writing = null));
    return this.#writing;
  }

  async #writeAll(): Promise<void> {
    while (this.#next !== null) {
      const text = this.#next;
      try {
        const sealed = this.#seal.close(text);
        await mkdir(dirname(this.#file), { recursive: true });
        await writeFile(`${this.#file}.next`, sealed, { mode: 0o600 });
        await rename(`${this.#file}.next`, this.#file);
        this.#problem = null;
        if (this.#next === text) this.#next = null;
      } catch (error) {
        this.#problem = `${this.#what} cannot be kept on disk: ${(error as Error).message}`;
        return;
      }
    }
  }

  async read(): Promise<Unsealed> {
    let sealed: Buffer;
    try {
      sealed = await readFile(this.#file);
    } catch (error) {
      return { state: (error as NodeJS.ErrnoException).code === 'ENOENT' ? 'missing' : 'unreadable' };
    }
    try {
      return { state: 'read', value: JSON.parse(this.#seal.open(sealed)) };
    } catch {
      return { state: 'unreadable' };
    }
  }
}
