import type { CheckMode } from '../document/modes.js';
import { outcomeOf, STEP_NAMES, type Comparison, type Operands, type StepId, type StepOutcome } from './code-entry.js';
import { entryOf, isCode, operandsOf } from './codes.js';

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
  /** The status and the title that the caller was given, or would have been; null where there is nothing to answer. */
  readonly told: { readonly status: number; readonly title: string } | null;
}

/**
 * The sentence, compared values, clause and remedy of a code. Null for a code that this version does not have, or whose
 * operands are not those of this version.
 * @param mode of the step that found it
 */
export function explain(code: string, operands: Operands, mode: CheckMode = 'enforce'): Explanation | null {
  if (!isCode(code)) return null;
  const entry = entryOf(code);
  const known = operandsOf(code, operands);
  if (known === null) return null;
  return {
    code,
    step: entry.step,
    stepName: STEP_NAMES[entry.step],
    outcome: outcomeOf(entry.says, mode),
    sentence: entry.sentence(known),
    comparisons: entry.compare(known),
    standard: entry.standard,
    remedy: entry.remedy,
    told: entry.status === null ? null : { status: entry.status, title: entry.title },
  };
}
