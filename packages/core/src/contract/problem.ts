/** Something in a description that is wrong or cannot be used. `error` stops the import; `notice` only says so. */
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
  readonly items: ContractProblem[] = [];
  total = 0;

  add(severity: ContractProblem['severity'], pointer: string, message: string, line: number | null = null): void {
    this.total++;
    if (this.items.length < MAX_PROBLEMS) this.items.push({ severity, pointer, message, line });
  }
}
