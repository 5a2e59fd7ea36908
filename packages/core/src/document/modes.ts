/** Whether what a check finds wrong refuses the request or is only written down. */
export type CheckMode = 'observe' | 'enforce';

/** The checks whose failing can be watched before it refuses. Path, message and routing always enforce: what they guard is which rule applies. */
export const MODED_CHECKS = [
  'address',
  'credential',
  'token',
  'key',
  'basic',
  'certificate',
  'proof',
  'claims',
  'rights',
  'condition',
  'authorizer',
  'plan',
  'limit',
  'type',
  'size',
  'answer',
] as const;
export type ModedCheck = (typeof MODED_CHECKS)[number];

/** Modes of the checks of an API, or of one operation of it. */
export interface ModeRule {
  /** The mode of every check that has none of its own. */
  readonly all: CheckMode;
  readonly checks: Readonly<Partial<Record<ModedCheck, CheckMode>>>;
}

/** Every check refuses. */
export const ENFORCED: ModeRule = Object.freeze({ all: 'enforce', checks: Object.freeze({}) });

export const modeOf = ({ all, checks }: ModeRule, check: ModedCheck): CheckMode => checks[check] ?? all;

/** The checks that only observe. */
export const observedChecks = (rule: ModeRule): ModedCheck[] => MODED_CHECKS.filter((check) => modeOf(rule, check) === 'observe');
