/**
 * The phases of a request. The steps of the first one are the operation's fall line; a later one is null where no step of
 * the operation belongs to it, which costs one compare: no body is counted that nobody bounds, no answer is looked at.
 */
export const LATER_PHASES = ['request-body', 'answer-head', 'answer-body'] as const;
export type LaterPhase = (typeof LATER_PHASES)[number];

/** What the carrier of a request has to do for the later phases of an operation. */
export interface Needs {
  /** Bytes of the request's body beyond which its phase is run; null where nobody bounds them. */
  readonly requestBytes: number | null;
  /** Bytes of the answer's body beyond which its phase is run; null where nobody bounds them. */
  readonly answerBytes: number | null;
}
