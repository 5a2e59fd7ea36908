/** Lets a few do something at one time and a bounded number wait; one more is refused. */
export class Turns {
  readonly #most: number;
  readonly #mostWaiting: number;
  #running = 0;
  readonly #waiting: (() => void)[] = [];

  constructor(most: number, mostWaiting: number) {
    this.#most = most;
    this.#mostWaiting = mostWaiting;
  }

  /** @returns what gives the turn back, once; null when too many wait already */
  async take(): Promise<(() => void) | null> {
    if (this.#running < this.#most) this.#running++;
    else {
      if (this.#waiting.length >= this.#mostWaiting) return null;
      await new Promise<void>((resolve) => this.#waiting.push(resolve));
    }
    let given = false;
    return () => {
      if (given) return;
      given = true;
      const next = this.#waiting.shift();
      if (next) next();
      else this.#running--;
    };
  }
}
