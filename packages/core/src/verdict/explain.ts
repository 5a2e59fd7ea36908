import { STEP_NAMES, type Comparison, type Operands, type StepId, type StepOutcome } from './code-entry.js';
import { entryOf, isCode } from './codes.js';

/** A finding in words, made when somebody looks. */
export interface Explanation {
  readonly code: string;
  readonly step: StepId;
  readonly stepName: string;
  readonly outcome: StepOutcome;
  readonly sentence: string;
  readonly comparisons: readonly Comparison[];
  readonly standard: string;
  readonly remedy: string;
  /** The status and the title that the caller was given; null where the step did not answer. */
  readonly told: { readonly status: number; readonly title: string } | null;
}

/** The sentence, compared values, clause and remedy of a code. Null for a code that this version does not have. */
export function explain(code: string, operands: Operands): Explanation | null {
  if (!isCode(code)) return null;
  const entry = entryOf(code);
  return {
    code,
    step: entry.step,
    stepName: STEP_NAMES[entry.step],
    outcome: entry.outcome,
    sentence: entry.sentence(operands),
    comparisons: entry.compare(operands),
    standard: entry.standard,
    remedy: entry.remedy,
    told: entry.status === null ? null : { status: entry.status, title: entry.title },
  };
}
