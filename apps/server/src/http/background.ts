import { Injectable, Logger } from '@nestjs/common';

/**
 * Owner of all work that nobody waits for. A failure is logged once, until the same work succeeds again, and said in the
 * strip; it never ends the process.
 */
@Injectable()
export class Background {
  readonly #log = new Logger('background');
  readonly #problems = new Map<string, string>();

  /** What does not work now, in words. */
  get problems(): readonly string[] {
    return [...this.#problems.values()];
  }

  /** @param what the work in words, as the beginning of a sentence */
  own(what: string, work: () => Promise<unknown>): void {
    void Promise.resolve()
      .then(work)
      .then(
        () => this.#problems.delete(what),
        (error: unknown) => {
          const said = `${what} failed: ${(error as Error).message}`;
          if (this.#problems.get(what) !== said) this.#log.error(`${said}\n${(error as Error).stack ?? ''}`);
          this.#problems.set(what, said);
        },
      );
  }
}
