/** Something in a description. `error`: it is wrong, and what it says is not taken as said. `notice`: worth knowing. */
export interface ContractProblem {
  readonly severity: 'error' | 'notice';
  /** JSON Pointer into the document (RFC 6901). */
  readonly pointer: string;
  /** Line of the text, from 1; null where the place cannot be told. */
  readonly line: number | null;
  readonly message: string;
}

/** At most this many problems of one document are listed; the rest are counted. */
export const MAX_PROBLEMS = 200;

/** Collects problems up to a bound. */
export class ProblemList {
  readonly #errors: ContractProblem[] = [];
  readonly #notices: ContractProblem[] = [];
  total = 0;

  add(severity: ContractProblem['severity'], pointer: string, message: string, line: number | null = null): void {
    this.total++;
    const list = severity === 'error' ? this.#errors : this.#notices;
    if (list.length < MAX_PROBLEMS) list.push({ severity, pointer, message, line });
  }

  /** Errors first, so that no number of notices crowds one out. */
  get items(): readonly ContractProblem[] {
    return [...this.#errors, ...this.#notices].slice(0, MAX_PROBLEMS);
  }
}
