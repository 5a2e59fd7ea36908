import { TIME_CLASSES, timeClass } from '@virga/protocol/node';

/** How long calls took, counted by classes of time: bounded however many there are, and added up over nodes. */
export class CallTimes {
  readonly #counts = new Array<number>(TIME_CLASSES).fill(0);

  add(ms: number): void {
    const index = timeClass(ms);
    this.#counts[index] = (this.#counts[index] ?? 0) + 1;
  }

  get counts(): number[] {
    return [...this.#counts];
  }
}
