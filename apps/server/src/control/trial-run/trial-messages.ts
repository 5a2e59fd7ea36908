import type { KnownFacts, ReleaseDocument, SavedTrial, TrialReport } from '@virga/core';

export interface TrialsAsked {
  readonly number: number;
  readonly document: ReleaseDocument;
  /** What is in force; null for nothing. */
  readonly before: ReleaseDocument | null;
  readonly facts: KnownFacts;
  readonly saved: readonly SavedTrial[];
  readonly nowMs: number;
}

export interface TrialsDone {
  readonly number: number;
  readonly report: TrialReport | null;
  readonly error: string | null;
}
