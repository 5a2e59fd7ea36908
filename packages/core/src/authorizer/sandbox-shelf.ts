import type { ScriptSource } from '../document/authorizer-rule.js';
import { ScriptSandbox, type LoadInterpreter, type ScriptClock, type ScriptRun } from './script-sandbox.js';

/** A sandbox, or what came of reading its script. */
export type Opened = ScriptSandbox | Exclude<ScriptRun, { kind: 'answer' }>;

/** How long a script that was not read in its time is left alone, milliseconds: one that never ends would take all the time there is. */
const ALONE_MS = 1000;

/** Scripts that are held ready, each in a sandbox of its own; of too many, the one that was asked longest ago goes. */
export class SandboxShelf {
  readonly #load: () => Promise<LoadInterpreter>;
  readonly #clock: ScriptClock;
  readonly #most: number;
  readonly #turns: number;
  readonly #opened = new Map<string, Promise<Opened>>();
  readonly #lateAt = new Map<string, number>();

  /**
   * @param most scripts that are held
   * @param turns how often at once one is read that was not read in its time
   */
  constructor(load: () => Promise<LoadInterpreter>, clock: ScriptClock, most: number, turns = 1) {
    this.#load = load;
    this.#clock = clock;
    this.#most = most;
    this.#turns = turns;
  }

  /** @throws what the interpreter itself threw: nothing of it is kept then */
  async take(identity: string, script: ScriptSource): Promise<Opened> {
    const lateAt = this.#lateAt.get(identity);
    // Another time it may be read in its time.
    if (lateAt !== undefined && this.#clock.passed() - lateAt > ALONE_MS) this.drop(identity);
    let opened = this.#opened.get(identity);
    if (!opened) {
      for (const oldest of this.#opened.keys()) if (this.#opened.size >= this.#most) this.drop(oldest);
      opened = this.#open(script);
    }
    this.#opened.delete(identity);
    this.#opened.set(identity, opened);
    try {
      const ready = await opened;
      if (!(ready instanceof ScriptSandbox) && ready.kind === 'time' && !this.#lateAt.has(identity)) this.#lateAt.set(identity, this.#clock.passed());
      return ready;
    } catch (error) {
      this.drop(identity);
      throw error;
    }
  }

  async #open(script: ScriptSource): Promise<Opened> {
    const load = await this.#load();
    for (let turn = 1; ; turn++) {
      const opened = await ScriptSandbox.open(load, script, this.#clock);
      if (opened instanceof ScriptSandbox || opened.kind !== 'time' || turn >= this.#turns) return opened;
    }
  }

  drop(identity: string): void {
    this.#opened.delete(identity);
    this.#lateAt.delete(identity);
  }
}
