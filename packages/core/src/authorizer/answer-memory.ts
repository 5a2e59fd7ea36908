import { LRUCache } from 'lru-cache';
import type { TableRows } from '../directory/table-fact.js';
import { isCovered, type AuthorizerAnswer } from './read-answer.js';

/** What an answer hung on beside its key: what changes here ends it. */
export interface AnswerGrounds {
  readonly tables: readonly (TableRows | null)[];
  /** The revocations and secrets in force, by the object that holds them. */
  readonly revocations: object;
}

interface KeptAnswer extends AnswerGrounds {
  readonly answer: AuthorizerAnswer;
  /** Milliseconds since the epoch. */
  readonly until: number;
}

/** Which answer is looked for: `who` begins with the name of the authorizer and a line's end; it is the part of its key that no answer can widen, `what` that of the one request. */
export interface AnswerKey {
  readonly who: string;
  readonly what: string;
  readonly method: string;
  readonly path: string;
}

/** Answers kept by each process, callers whose answers they are, and answers with patterns of one caller. */
export const ANSWER_MEMORY = { answers: 20_000, covering: 8 } as const;

/** One `who`: the number that stands for it in keys, never given twice, and answers with patterns. */
interface Asker {
  readonly number: number;
  covering: readonly KeptAnswer[];
}

/**
 * Answers of authorizers that may be used again. Belongs to a node and outlives every release: keys begin with what the authorizer
 * is made of, so that a changed one finds nothing.
 */
export class AnswerMemory {
  readonly #askers = new LRUCache<string, Asker>({ max: ANSWER_MEMORY.answers });
  /** By the number of who asks, and what. */
  readonly #kept = new LRUCache<string, KeptAnswer>({ max: ANSWER_MEMORY.answers });
  #numbers = 0;
  #drops = 0;

  find({ who, what, method, path }: AnswerKey, grounds: AnswerGrounds, nowMs: number): AuthorizerAnswer | null {
    const asker = this.#askers.get(who);
    if (asker === undefined) return null;
    const known = this.#kept.get(`${asker.number} ${what}`);
    if (known && isGood(known, grounds, nowMs)) return known.answer;
    const wide = asker.covering.find((one) => isGood(one, grounds, nowMs) && one.answer.covers.some((covered) => isCovered(covered, { method, path })));
    return wide?.answer ?? null;
  }

  /** How often answers were dropped so far: one that was asked for before is not kept after. */
  get drops(): number {
    return this.#drops;
  }

  /** @param until milliseconds since the epoch @param drops as they were when the answer was asked for */
  keep({ who, what }: AnswerKey, grounds: AnswerGrounds, answer: AuthorizerAnswer, until: number, drops: number): void {
    if (drops !== this.#drops) return;
    const kept = { ...grounds, answer, until };
    let asker = this.#askers.get(who);
    if (!asker) this.#askers.set(who, (asker = { number: ++this.#numbers, covering: [] }));
    this.#kept.set(`${asker.number} ${what}`, kept);
    if (answer.covers.length > 0) asker.covering = [kept, ...asker.covering].slice(0, ANSWER_MEMORY.covering);
  }

  /** Forgets all answers, or those of one authorizer, by its name. */
  drop(name: string | null): void {
    this.#drops++;
    const gone = new Set<string>();
    for (const [who, { number }] of [...this.#askers.entries()])
      if (name === null || who.startsWith(`${name}\n`)) {
        gone.add(String(number));
        this.#askers.delete(who);
      }
    for (const key of [...this.#kept.keys()]) if (name === null || gone.has(key.slice(0, key.indexOf(' ')))) this.#kept.delete(key);
  }

  get size(): number {
    return this.#kept.size;
  }
}

const isGood = (kept: KeptAnswer, { tables, revocations }: AnswerGrounds, nowMs: number): boolean =>
  nowMs < kept.until &&
  kept.revocations === revocations &&
  kept.tables.length === tables.length &&
  kept.tables.every((rows, index) => rows !== null && rows === tables[index]);
