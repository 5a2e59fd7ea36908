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

/** Answers kept by each process, and answers with patterns of one caller. */
export const ANSWER_MEMORY = { answers: 20_000, covering: 8 } as const;

/**
 * Answers of authorizers that may be used again. Belongs to a node and outlives every release: keys begin with what the authorizer
 * is made of, so that a changed one finds nothing.
 */
export class AnswerMemory {
  readonly #kept = new LRUCache<string, KeptAnswer>({ max: ANSWER_MEMORY.answers });
  readonly #covering = new LRUCache<string, readonly KeptAnswer[]>({ max: ANSWER_MEMORY.answers });

  find({ who, what, method, path }: AnswerKey, grounds: AnswerGrounds, nowMs: number): AuthorizerAnswer | null {
    const known = this.#kept.get(`${who}\n${what}`);
    if (known && isGood(known, grounds, nowMs)) return known.answer;
    const wide = this.#covering
      .get(who)
      ?.find((one) => isGood(one, grounds, nowMs) && one.answer.covers.some((covered) => isCovered(covered, { method, path })));
    return wide?.answer ?? null;
  }

  /** @param until milliseconds since the epoch */
  keep({ who, what }: AnswerKey, grounds: AnswerGrounds, answer: AuthorizerAnswer, until: number): void {
    const kept = { ...grounds, answer, until };
    this.#kept.set(`${who}\n${what}`, kept);
    if (answer.covers.length === 0) return;
    this.#covering.set(who, [kept, ...(this.#covering.get(who) ?? [])].slice(0, ANSWER_MEMORY.covering));
  }

  /** Forgets all answers, or those of one authorizer, by its name. */
  drop(name: string | null): void {
    for (const memory of [this.#kept, this.#covering])
      if (name === null) memory.clear();
      else for (const key of memory.keys()) if (key.startsWith(`${name}\n`)) memory.delete(key);
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
