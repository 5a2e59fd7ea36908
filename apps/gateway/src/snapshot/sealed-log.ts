import { randomBytes } from 'node:crypto';
import { appendFile, mkdir, readFile, rename, writeFile } from 'node:fs/promises';
import { dirname } from 'node:path';
import { setImmediate } from 'node:timers/promises';
import { Seal } from './seal.js';

/**
 * Entries on disk that only this node can have written, added one by one: each is sealed together with
 * the id of its file and its place in it, so that none can be left out, moved or brought from another file; what was cut
 * off at the end is not noticed here. A new file takes the place of the old one in one step, once its first entries are
 * all written. What could not be written is tried again at each `tick`, and nothing is added behind a hole.
 */
export class SealedLog {
  readonly #seal: Seal;
  readonly #file: string;
  readonly #what: string;
  #id = '';
  #count = 0;
  readonly #waiting: (unknown[] | { readonly anew: unknown[] })[] = [];
  #writing: Promise<void> | null = null;
  #problem: string | null = null;

  /** @param what the value in words, also what its key is made for */
  constructor(token: string, what: string, file: string) {
    this.#seal = new Seal(token, what);
    this.#file = file;
    this.#what = what;
  }

  /** Why the newest entries are not on disk, in words; null when they are. */
  get problem(): string | null {
    return this.#problem;
  }

  /** Entries in the file, those that wait included. */
  get length(): number {
    return this.#count + this.#waiting.reduce((sum, item) => sum + ('anew' in item ? item.anew.length : item.length), 0);
  }

  /** Adds entries; never throws. Resolves when they were tried. */
  add(...entries: unknown[]): Promise<void> {
    this.#waiting.push(entries);
    return this.#flush();
  }

  /** Begins a new file with these entries, in the place of the old one. */
  begin(entries: unknown[]): Promise<void> {
    this.#waiting.length = 0;
    this.#waiting.push({ anew: entries });
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
    for (let item = this.#waiting[0]; item; item = this.#waiting[0]) {
      try {
        await mkdir(dirname(this.#file), { recursive: true });
        if ('anew' in item) await this.#writeAnew(item.anew);
        else await this.#append(item);
        this.#problem = null;
        if (this.#waiting[0] === item) this.#waiting.shift();
      } catch (error) {
        this.#problem = `${this.#what} cannot be kept on disk: ${(error as Error).message}`;
        return;
      }
    }
  }

  async #writeAnew(entries: readonly unknown[]): Promise<void> {
    const id = randomBytes(9).toString('base64url');
    await writeFile(`${this.#file}.next`, `${id}\n`, { mode: 0o600 });
    for (const [index, entry] of entries.entries()) {
      await appendFile(`${this.#file}.next`, this.#line(entry, id, index));
      await setImmediate();
    }
    await rename(`${this.#file}.next`, this.#file);
    this.#id = id;
    this.#count = entries.length;
  }

  async #append(entries: readonly unknown[]): Promise<void> {
    if (this.#id === '') return this.#writeAnew(entries);
    await appendFile(this.#file, entries.map((entry, index) => this.#line(entry, this.#id, this.#count + index)).join(''));
    this.#count += entries.length;
  }

  #line(entry: unknown, id: string, index: number): string {
    return `${this.#seal.close(JSON.stringify(entry), `${id} ${index}`).toString('base64')}\n`;
  }

  /**
   * Reads all entries, in order. A last line without its end was being written when the node died: it is left out and cut
   * off. @returns null when there is no file, `unreadable` when some entry was not written by this node as it stands
   */
  async read(): Promise<readonly unknown[] | null | 'unreadable'> {
    let text: string;
    try {
      text = await readFile(this.#file, 'latin1');
    } catch (error) {
      return (error as NodeJS.ErrnoException).code === 'ENOENT' ? null : 'unreadable';
    }
    const lines = text.split('\n');
    const torn = lines.pop() !== '';
    const [id = '', ...sealed] = lines;
    const entries: unknown[] = [];
    try {
      for (const [index, line] of sealed.entries()) entries.push(JSON.parse(this.#seal.open(Buffer.from(line, 'base64'), `${id} ${index}`)));
    } catch {
      return 'unreadable';
    }
    if (id === '') return 'unreadable';
    if (torn) {
      await writeFile(`${this.#file}.next`, `${lines.join('\n')}\n`, { mode: 0o600 })
        .then(() => rename(`${this.#file}.next`, this.#file))
        .catch((error: unknown) => (this.#problem = `${this.#what} cannot be kept on disk: ${(error as Error).message}`));
    }
    this.#id = id;
    this.#count = entries.length;
    return entries;
  }
}
