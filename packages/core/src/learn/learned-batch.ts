import type { SeenFinding } from '../sensitive/seen-findings.js';
import type { LearnedEntry } from './path-learner.js';
import type { SeenOperation } from './seen-operation.js';

/** What a node saw of one API since it told it last. */
export interface LearnedBatch {
  /** Of requests whose path no operation matches. */
  readonly paths: readonly LearnedEntry[];
  /** Of operations, by their ids. */
  readonly operations: readonly (readonly [id: string, operation: SeenOperation])[];
  /** Requests whose path there was no room for. */
  readonly unplaced: number;
  readonly findings: readonly SeenFinding[];
}
