/**
 * The phases of a request. The steps of the first one are the operation's fall line; a later one is null where no step of
 * the operation belongs to it, which costs one compare: no body is counted that nobody bounds, no answer is looked at.
 */
export const LATER_PHASES = ['request-body', 'request-content', 'answer-head', 'answer-body', 'answer-content'] as const;
export type LaterPhase = (typeof LATER_PHASES)[number];

/**
 * What a whole body is wanted for. It is held, up to a bound, where it may be refused; where it is only observed, it is read beside
 * its way and nobody waits for it.
 */
export interface BodyNeed {
  /** Bytes that are read at most, decoded. */
  readonly limit: number;
  readonly hold: boolean;
  /** What becomes of a body that has more. */
  readonly larger: 'pass' | 'refuse';
  /** Whether every answer that is a text is looked into, whatever its contract says of it. */
  readonly everyText?: boolean;
}

/** What the carrier of a request has to do for the later phases of an operation. */
export interface Needs {
  /** Bytes of the answer's body beyond which its phase is run; null where nobody bounds them. */
  readonly answerBytes: number | null;
  /** Null where nobody looks into the request's body. */
  readonly requestContent: BodyNeed | null;
  /** Null where nobody looks into the answer's body. */
  readonly answerContent: BodyNeed | null;
}
