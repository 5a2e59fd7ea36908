import type { BodyContent, BodyNeed } from '@virga/core';

/** Bytes of bodies that a node holds at one time, to look into them: of requests and of answers. */
export const HELD_BYTES = 256 * 1024 * 1024;

/** How much of it one caller can hold: whoever sends many bodies slowly leaves room for others. */
const SHARE = 0.25;

/** Counts what is held, so that many large bodies at once cannot take all the memory. */
export class HeldBodies {
  readonly #most: number;
  #held = 0;
  readonly #byHolder = new Map<string, number>();

  constructor(most = HELD_BYTES) {
    this.#most = most;
  }

  get limit(): number {
    return this.#most;
  }

  get bytes(): number {
    return this.#held;
  }

  /** @param holder a client, or an address where no client is known @returns whether there is room */
  take(bytes: number, holder: string): boolean {
    const own = (this.#byHolder.get(holder) ?? 0) + bytes;
    if (this.#held + bytes > this.#most || own > this.#most * SHARE) return false;
    this.#held += bytes;
    this.#byHolder.set(holder, own);
    return true;
  }

  give(bytes: number, holder: string): void {
    this.#held -= bytes;
    const own = (this.#byHolder.get(holder) ?? 0) - bytes;
    if (own > 0) this.#byHolder.set(holder, own);
    else this.#byHolder.delete(holder);
  }
}

/** Those of this process. */
export const HELD = new HeldBodies();

/** A body that is put together from what comes, up to a bound. */
export class HeldBody {
  readonly #limit: number;
  readonly #holder: string;
  readonly #room: HeldBodies;
  #parts: Buffer[] = [];
  #size = 0;
  #held = 0;
  /** Why it is not held any more; null while it is. */
  full: 'larger' | 'no-room' | null = null;

  constructor(limit: number, holder: string, room = HELD) {
    this.#limit = limit;
    this.#holder = holder;
    this.#room = room;
  }

  get size(): number {
    return this.#size;
  }

  /** @returns whether it is still held */
  add(part: Buffer): boolean {
    this.#size += part.length;
    if (this.full !== null) return false;
    if (this.#size > this.#limit) this.full = 'larger';
    else if (!this.#room.take(part.length, this.#holder)) this.full = 'no-room';
    else {
      this.#held += part.length;
      this.#parts.push(part);
    }
    return this.full === null;
  }

  /** What has come while it was held. */
  get parts(): readonly Buffer[] {
    return this.#parts;
  }

  whole(): Buffer {
    const [first] = this.#parts;
    return this.#parts.length === 1 && first ? first : Buffer.concat(this.#parts);
  }

  /** Lets go of it. */
  drop(): void {
    if (this.#held > 0) this.#room.give(this.#held, this.#holder);
    this.#held = 0;
    this.#parts = [];
  }
}

/** What is known of a body that has more than is read. */
export const largerContent = ({ limit, larger }: BodyNeed): BodyContent => ({ kind: 'larger', limit, pass: larger === 'pass' });

/** What is known of a body that is not held any more. */
export const notHeld = (body: HeldBody, need: BodyNeed): BodyContent =>
  body.full === 'no-room' ? { kind: 'no-room', limit: HELD.limit } : largerContent(need);
