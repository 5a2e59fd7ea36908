/** From which answers something is learned. */
export const LEARNED_ANSWERS = ['successful', 'redirects', 'all'] as const;
export type LearnedAnswers = (typeof LEARNED_ANSWERS)[number];

/** Whether something is learned from the traffic of an API. */
export interface LearningRule {
  readonly on: boolean;
  readonly answers: LearnedAnswers;
}

export const NO_LEARNING: LearningRule = Object.freeze({ on: false, answers: 'successful' });

/** Whether something is learned from a request with this answer. */
export const learnsFrom = ({ on, answers }: LearningRule, status: number): boolean =>
  on && (answers === 'all' || (status >= 200 && status < (answers === 'redirects' ? 400 : 300)));
