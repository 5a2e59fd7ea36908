/** What becomes of sensitive data where it was found: it is only told of, masked on its way back, or what holds it is refused. */
export const SENSITIVE_ACTIONS = ['tell', 'mask', 'refuse'] as const;
export type SensitiveAction = (typeof SENSITIVE_ACTIONS)[number];

/** One kind that is looked for. What is not asked for is not looked for, and costs nothing. */
export interface SensitiveUse {
  /** A built-in detector or one of the release. */
  readonly detector: string;
  /** In requests; null where it is not looked for. A request is never changed, so nothing is masked in it. */
  readonly request: Exclude<SensitiveAction, 'mask'> | null;
  /** In answers; null where it is not looked for. */
  readonly answer: SensitiveAction | null;
}

/** What sensitive data is looked for, and what becomes of it. */
export interface SensitiveRule {
  readonly uses: readonly SensitiveUse[];
  /** Bytes of a body that are held to look into it before it goes on. */
  readonly bodyBytes: number;
  /** What becomes of a larger one, which is not looked into. */
  readonly largerBody: 'pass' | 'refuse';
}

/** Nothing is looked for. */
export const NOTHING_SENSITIVE: SensitiveRule = Object.freeze({ uses: Object.freeze([]), bodyBytes: 1_048_576, largerBody: 'refuse' });

/** A detector of one's own. */
export interface DetectorRule {
  /** Begins with `own-`. */
  readonly id: string;
  readonly name: string;
  /** In RE2 syntax: matched in time in proportion to the text. */
  readonly pattern: string;
}

/** Detectors of one release. */
export const MOST_DETECTORS = 50;
