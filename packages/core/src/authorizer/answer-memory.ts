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

/**
 * Which answer is looked for: `who` begins with the name of the authorizer and a line's end; it is the part of its key that no answer can
 * widen. `where` and `what` are of the one request: the first is the same for all requests of an operation by one method, the second is not.
 */
export interface AnswerKey {
  readonly who: string;
  readonly where: string;
  readonly what: string;
  readonly method: string;
  readonly path: string;
}

/** Answers kept by each process, answers with patterns of one caller, and how many of one caller push out those of others. */
export const ANSWER_MEMORY = { answers: 20_000, covering: 8, share: 2000 } as const;

/** The answers of one `who`: by `where` and `what`, and those with patterns. */
interface Asker {
  readonly places: Map<string, Map<string, KeptAnswer>>;
  covering: readonly KeptAnswer[];
  size: number;
}

/**
 * Answers of authorizers that may be used again. Belongs to a node and outlives every release: keys begin with what the authorizer
 * is made of, so that a changed one finds nothing. Where there are too many, those of whoever asked longest ago go.
 */
export class AnswerMemory {
  readonly #askers = new LRUCache<string, Asker>({ max: ANSWER_MEMORY.answers, dispose: ({ size }) => void (this.#size -= size) });
  #size = 0;
  #drops = 0;

  find({ who, where, what, method, path }: AnswerKey, grounds: AnswerGrounds, nowMs: number): AuthorizerAnswer | null {
    const asker = this.#askers.get(who);
    if (asker === undefined) return null;
    const known = asker.places.get(where)?.get(what);
    if (known && isGood(known, grounds, nowMs)) return known.answer;
    for (const wide of asker.covering)
      if (isGood(wide, grounds, nowMs) && wide.answer.covers.some((covered) => isCovered(covered, { method, path }))) return wide.answer;
    return null;
  }

  /** How often answers were dropped so far: one that was asked for before is not kept after. */
  get drops(): number {
    return this.#drops;
  }

  /** @param until milliseconds since the epoch @param drops as they were when the answer was asked for */
  keep({ who, where, what }: AnswerKey, grounds: AnswerGrounds, answer: AuthorizerAnswer, until: number, drops: number): void {
    if (drops !== this.#drops) return;
    const kept = { ...grounds, answer, until };
    let asker = this.#askers.get(who);
    if (!asker) this.#askers.set(who, (asker = { places: new Map(), covering: [], size: 0 }));
    let place = asker.places.get(where);
    if (!place) asker.places.set(where, (place = new Map<string, KeptAnswer>()));
    if (!place.has(what)) {
      asker.size++;
      this.#size++;
    }
    place.set(what, kept);
    if (answer.covers.length > 0) asker.covering = [kept, ...asker.covering].slice(0, ANSWER_MEMORY.covering);
    // Whoever has many begins anew, and takes nothing from others.
    if (this.#size > ANSWER_MEMORY.answers && asker.size > ANSWER_MEMORY.share) this.#askers.delete(who);
    while (this.#size > ANSWER_MEMORY.answers) this.#askers.pop();
  }

  /** Forgets all answers, or those of one authorizer, by its name. */
  drop(name: string | null): void {
    this.#drops++;
    for (const who of [...this.#askers.keys()]) if (name === null || who.startsWith(`${name}\n`)) this.#askers.delete(who);
  }

  /** Answers that are kept. */
  get size(): number {
    return this.#size;
  }
}

function isGood(kept: KeptAnswer, { tables, revocations }: AnswerGrounds, nowMs: number): boolean {
  if (nowMs >= kept.until || kept.revocations !== revocations || kept.tables.length !== tables.length) return false;
  for (let index = 0; index < tables.length; index++) if (tables[index] === null || tables[index] !== kept.tables[index]) return false;
  return true;
}
