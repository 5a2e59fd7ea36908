/** The steps of a fall line, top to bottom. A request that stops at one never reaches the next. */
export const STEPS = ['message', 'route', 'preflight', 'credential', 'token', 'proof', 'claims', 'rights', 'upstream'] as const;
export type StepId = (typeof STEPS)[number];

/** How each step is called on screen. */
export const STEP_NAMES: Readonly<Record<StepId, string>> = {
  message: 'Message',
  route: 'Route',
  preflight: 'Preflight',
  credential: 'Credential',
  token: 'Token',
  proof: 'Proof',
  claims: 'Claims',
  rights: 'Rights',
  upstream: 'Upstream',
};

export type StepOutcome = 'pass' | 'refuse' | 'skip' | 'would-refuse';

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
  readonly outcome: StepOutcome;
  /** HTTP status of the answer; null for codes that do not stop a request. */
  readonly status: number | null;
  readonly challenge: Challenge;
  /** What the caller may know. */
  readonly title: string;
  readonly sentence: (operands: O) => string;
  readonly compare: (operands: O) => readonly Comparison[];
  readonly standard: string;
  readonly remedy: string;
}

type Draft<O extends Operands> = Pick<CodeEntry<O>, 'title' | 'sentence' | 'standard' | 'remedy'> & Partial<Pick<CodeEntry<O>, 'compare' | 'challenge'>>;

/** A row that stops the request with a status. */
export function refusal<O extends Operands>(step: StepId, status: number, draft: Draft<O>): CodeEntry<O> {
  return { step, outcome: 'refuse', status, challenge: 'none', compare: () => [], ...draft };
}

/** A row that lets the request go on. */
export function passing<O extends Operands>(
  step: StepId,
  outcome: 'pass' | 'skip',
  draft: Pick<CodeEntry<O>, 'sentence'> & Partial<Pick<CodeEntry<O>, 'compare' | 'standard'>>,
): CodeEntry<O> {
  return { step, outcome, status: null, challenge: 'none', title: '', standard: '', remedy: '', compare: () => [], ...draft };
}

export const list = (items: readonly string[]): string => (items.length === 0 ? 'none' : items.join(', '));

export const comparison = (what: string, wanted: string | null, found: string | null): Comparison => ({ what, wanted, found });
