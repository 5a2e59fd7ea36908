import type { StepId } from '../verdict/code-entry.js';
import type { Code } from '../verdict/codes.js';

/**
 * What came of a trial: what was to be stopped was, or was not; only a check that observes would have stopped it; or that
 * hangs on an authorizer that nobody asks for a trial, or that came to no end in its time.
 */
export type TrialResult = 'holds' | 'fails' | 'observed' | 'not-known';

/** One trial and what came of it. */
export interface TrialOutcome {
  /** What it is overruled by: API, operation and what was tried. Stands once in a report. */
  readonly name: string;
  /** Empty where a saved request leads to no operation. */
  readonly apiId: string;
  readonly operationId: string;
  readonly apiName: string;
  readonly method: string;
  readonly path: string;
  /** What was tried, in words. */
  readonly tried: string;
  readonly expected: 'refused' | 'passed';
  readonly result: TrialResult;
  /** The step that decided, and its code. */
  readonly step: StepId;
  readonly code: Code;
  /** Why it came out so. */
  readonly sentence: string;
}

/** All trials of one release. */
export interface TrialReport {
  /** All that did not hold, the worst first, and of those that held as many as are kept. */
  readonly items: readonly TrialOutcome[];
  readonly counts: Readonly<Record<TrialResult, number>>;
  /** Operations that something was tried on. */
  readonly operations: number;
  /** Whether ways in were not all looked for to the end: some attacks began with a caller that may be stopped for another reason than they are made for. */
  readonly cut: boolean;
  readonly tookMs: number;
}

/** So many trials that hold are kept in full; of more only the number is. */
export const MAX_HOLDING = 5000;

const RANK: Readonly<Record<TrialResult, number>> = { fails: 0, 'not-known': 1, observed: 2, holds: 3 };

/** Whether one result is to be told rather than another. */
export const isWorse = (one: TrialResult, than: TrialResult): boolean => RANK[one] < RANK[than];

/** What got through first, then what is not known and what only observes. */
export const worstFirst = (items: readonly TrialOutcome[]): readonly TrialOutcome[] => [...items].sort((a, b) => RANK[a.result] - RANK[b.result]);
