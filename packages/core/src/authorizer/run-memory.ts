import { LRUCache } from 'lru-cache';
import type { TableRows } from '../directory/table-fact.js';
import type { ScriptCall, ScriptClock, ScriptRun } from './script-sandbox.js';

/** Characters of calls and of what came of them, of all that is kept. */
const MAX_CHARACTERS = 32 * 1024 * 1024;
/** How long a call that was not done in its time counts as such, milliseconds: another time it may be done. */
const LATE_MS = 10_000;

interface KeptRun {
  readonly run: ScriptRun;
  /** By the clock of the scripts, milliseconds. */
  readonly at: number;
}

/**
 * What came of calls of scripts, for the same calls again: a script has no clock and no chance, so that its answer depends on what
 * it is made of, its input and the tables that it reads alone. What asks thousands of times about a few hundred calls asks each once.
 */
export class RunMemory {
  readonly #clock: ScriptClock;
  readonly #kept = new LRUCache<string, KeptRun>({ maxSize: MAX_CHARACTERS, sizeCalculation: ({ run }, key) => key.length + lengthOf(run) });
  /** Tables by the object that holds their rows, which is another one after every change. */
  readonly #tables = new WeakMap<TableRows, number>();
  #numbered = 0;

  constructor(clock: ScriptClock) {
    this.#clock = clock;
  }

  /** @param run calls the script; what it throws is kept by nobody */
  once(identity: string, call: ScriptCall, run: () => ScriptRun): ScriptRun {
    const tables = [...call.tables].map(([name, rows]) => [name, this.#numberOf(rows)]);
    const key = JSON.stringify([identity, call.input, call.hidden, tables]);
    const known = this.#kept.get(key);
    const now = this.#clock.passed();
    if (known && (known.run.kind !== 'time' || now - known.at < LATE_MS)) return known.run;
    const done = run();
    this.#kept.set(key, { run: done, at: now });
    return done;
  }

  #numberOf(rows: TableRows): number {
    const known = this.#tables.get(rows) ?? ++this.#numbered;
    this.#tables.set(rows, known);
    return known;
  }
}

const lengthOf = (run: ScriptRun): number => (run.kind === 'answer' ? run.text.length : 100);
