import type { BodyContent, BodyNeed } from '@virga/core';

/** Bytes of bodies that a node holds at one time, to look into them: of requests and of answers. */
export const HELD_BYTES = 256 * 1024 * 1024;

/** Counts what is held, so that many large bodies at once cannot take all the memory. */
export class HeldBodies {
  readonly #most: number;
  #held = 0;

  constructor(most = HELD_BYTES) {
    this.#most = most;
  }

  get limit(): number {
    return this.#most;
  }

  get bytes(): number {
    return this.#held;
  }

  /** @returns whether there is room */
  take(bytes: number): boolean {
    if (this.#held + bytes > this.#most) return false;
    this.#held += bytes;
    return true;
  }

  give(bytes: number): void {
    this.#held -= bytes;
  }
}

/** Those of this process. */
export const HELD = new HeldBodies();

/** A body that is put together from what comes, up to a bound. */
export class HeldBody {
  readonly #limit: number;
  readonly #room: HeldBodies;
  #parts: Buffer[] = [];
  #size = 0;
  #held = 0;
  /** Why it is not held any more; null while it is. */
  full: 'larger' | 'no-room' | null = null;

  constructor(limit: number, room = HELD) {
    this.#limit = limit;
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
    else if (!this.#room.take(part.length)) this.full = 'no-room';
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
    this.#room.give(this.#held);
    this.#held = 0;
    this.#parts = [];
  }
}

/** What is known of a body that has more than is read. */
export const largerContent = ({ limit, larger }: BodyNeed): BodyContent => ({ kind: 'larger', limit, pass: larger === 'pass' });

/** What is known of a body that is not held any more. */
export const notHeld = (body: HeldBody, need: BodyNeed): BodyContent =>
  body.full === 'no-room' ? { kind: 'no-room', limit: HELD.limit } : largerContent(need);
