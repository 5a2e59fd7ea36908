/** When something outside is left alone. */
export const CIRCUIT_LIMITS = {
  /** Failures in a row that open the circuit. */
  failuresToOpen: 5,
  /** How long it stays open before one call tries again. */
  openMs: 10_000,
} as const;

/** How calling one endpoint goes. After failures in a row it is left alone for a while; then one call tries again. */
export class Circuit {
  readonly #now: () => number;
  #failures = 0;
  #openUntil = 0;
  #trying = false;
  #problem: string | null = null;
  #calls = 0;
  #calledAt: number | null = null;
  #underWay = 0;

  constructor(now: () => number) {
    this.#now = now;
  }

  /** Why the last call failed, in words; null where it did not, or none was made. */
  get problem(): string | null {
    return this.#problem;
  }

  get calls(): number {
    return this.#calls;
  }

  /** When it was last called, milliseconds since the epoch; null for never. */
  get calledAt(): number | null {
    return this.#calledAt;
  }

  /** Calls that have not come back. */
  get underWay(): number {
    return this.#underWay;
  }

  /** Whether it is left alone now. */
  get isOpen(): boolean {
    return this.#now() < this.#openUntil;
  }

  /** Whether a call may be made: the circuit is closed, or was open for long enough that one call may try. Whoever is let calls. */
  mayTry(): boolean {
    if (this.#failures < CIRCUIT_LIMITS.failuresToOpen) return true;
    if (this.#trying || this.isOpen) return false;
    this.#trying = true;
    return true;
  }

  begin(): void {
    this.#calls++;
    this.#underWay++;
    this.#calledAt = this.#now();
  }

  /** @param problem why it failed; null where it did not @returns whether it is another state than before */
  end(problem: string | null): boolean {
    const changed = (this.#problem === null) !== (problem === null);
    this.#trying = false;
    this.#underWay--;
    this.#problem = problem;
    this.#failures = problem === null ? 0 : this.#failures + 1;
    if (problem !== null && this.#failures >= CIRCUIT_LIMITS.failuresToOpen) this.#openUntil = this.#now() + CIRCUIT_LIMITS.openMs;
    return changed;
  }
}
