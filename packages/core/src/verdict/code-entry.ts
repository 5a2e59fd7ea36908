import type { CheckMode } from '../document/modes.js';

/** The steps of a fall line, top to bottom. A request that stops at one never reaches the next. */
export const STEPS = [
  'message',
  'fence',
  'route',
  'preflight',
  'address',
  'credential',
  'guess',
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
  'contract',
  'contract-path',
  'contract-query',
  'contract-header',
  'contract-cookie',
  'contract-security',
  'contract-type',
  'sensitive',
  'type',
  'size',
  'contract-body',
  'sensitive-body',
  'lane-up',
  'upstream',
  'contract-status',
  'contract-fields',
  'sensitive-fields',
  'contract-answer',
  'sensitive-answer',
  'answer',
  'lane-back',
] as const;
export type StepId = (typeof STEPS)[number];

/** How each step is called on screen. */
export const STEP_NAMES: Readonly<Record<StepId, string>> = {
  message: 'Message',
  fence: 'Fence',
  route: 'Route',
  preflight: 'Preflight',
  address: 'Address',
  credential: 'Credential',
  guess: 'Guessing',
  token: 'Token',
  key: 'API key',
  basic: 'Basic',
  certificate: 'Certificate',
  proof: 'Proof',
  claims: 'Claims',
  rights: 'Rights',
  condition: 'Condition',
  authorizer: 'Authorizer',
  plan: 'Plan',
  limit: 'Limits',
  contract: 'Contract',
  'contract-path': 'Path by contract',
  'contract-query': 'Query by contract',
  'contract-header': 'Headers by contract',
  'contract-cookie': 'Cookies by contract',
  'contract-security': 'Credential by contract',
  'contract-type': 'Type by contract',
  sensitive: 'Sensitive data',
  type: 'Content type',
  size: 'Size',
  'contract-body': 'Body by contract',
  'sensitive-body': 'Sensitive data in the body',
  'lane-up': 'Headers up',
  upstream: 'Upstream',
  'contract-status': 'Status by contract',
  'contract-fields': 'Answer headers by contract',
  'sensitive-fields': 'Sensitive data in answer headers',
  'contract-answer': 'Answer by contract',
  'sensitive-answer': 'Sensitive data in the answer',
  answer: 'Answer',
  'lane-back': 'Headers back',
};

/** What a check found. Whether that stops a request is said by the mode of the step. */
export type Said = 'meets' | 'fails' | 'not-asked';

export type StepOutcome = 'pass' | 'refuse' | 'skip' | 'would-refuse';

const OUTCOMES: Readonly<Record<CheckMode, Readonly<Record<Said, StepOutcome>>>> = {
  enforce: { meets: 'pass', fails: 'refuse', 'not-asked': 'skip' },
  observe: { meets: 'pass', fails: 'would-refuse', 'not-asked': 'skip' },
};

/** What becomes of a request by what a step found: the mode of the step makes it, never the code. */
export const outcomeOf = (said: Said, mode: CheckMode): StepOutcome => OUTCOMES[mode][said];

/** A value that a step compared. Never a credential: claim names, algorithms, identifiers and times only. */
export type Operand = string | number | boolean | null | readonly string[];
export type Operands = Readonly<Record<string, Operand>>;

/** One compared value, for display. */
export interface Comparison {
  readonly what: string;
  readonly wanted: string | null;
  readonly found: string | null;
}

/** What `WWW-Authenticate` says: nothing, the scheme alone, or an error code of RFC 6750 section 3, RFC 9449 section 7.1 or RFC 9470 section 3. */
export type Challenge =
  'none' | 'bare' | 'invalid_request' | 'invalid_token' | 'insufficient_scope' | 'invalid_dpop_proof' | 'use_dpop_nonce' | 'insufficient_user_authentication';

/** One row of the table of codes. `title` is for callers; `sentence`, `compare` and `remedy` are for operators. */
export interface CodeEntry<O extends Operands = Operands> {
  readonly step: StepId;
  readonly says: Said;
  /** HTTP status of the answer where the step refuses; null for codes that find nothing wrong. */
  readonly status: number | null;
  readonly challenge: Challenge;
  /** What the caller may know. */
  readonly title: string;
  readonly sentence: (operands: O) => string;
  readonly compare: (operands: O) => readonly Comparison[];
  readonly standard: string;
  readonly remedy: string;
  /** Operands as they may come, for the documents and for telling whether stored ones are of this version. */
  readonly example: O;
}

/** What a row is written with; the example may be left out where there are no operands. */
type Draft<O extends Operands> = Pick<CodeEntry<O>, 'sentence'> & Example<O>;
type Example<O extends Operands> = keyof O extends never ? { readonly example?: O } : { readonly example: O };

/** A row that finds something wrong: where its step enforces, the request is answered with the status. */
export function failing<O extends Operands>(
  step: StepId,
  status: number,
  draft: Draft<O> & Pick<CodeEntry<O>, 'title' | 'standard' | 'remedy'> & Partial<Pick<CodeEntry<O>, 'compare' | 'challenge'>>,
): CodeEntry<O> {
  return { step, says: 'fails', status, challenge: 'none', compare: () => [], ...draft, example: draft.example ?? ({} as O) };
}

type Harmless<O extends Operands> = Draft<O> & Partial<Pick<CodeEntry<O>, 'compare' | 'standard'>>;

/** A row for what meets its check. */
export function meeting<O extends Operands>(step: StepId, draft: Harmless<O>): CodeEntry<O> {
  return harmless(step, 'meets', draft);
}

/** A row for where nothing was asked. */
export function notAsked<O extends Operands>(step: StepId, draft: Harmless<O>): CodeEntry<O> {
  return harmless(step, 'not-asked', draft);
}

function harmless<O extends Operands>(step: StepId, says: Said, draft: Harmless<O>): CodeEntry<O> {
  return { step, says, status: null, challenge: 'none', title: '', standard: '', remedy: '', compare: () => [], ...draft, example: draft.example ?? ({} as O) };
}

export const list = (items: readonly string[]): string => (items.length === 0 ? 'none' : items.join(', '));

export const comparison = (what: string, wanted: string | null, found: string | null): Comparison => ({ what, wanted, found });
