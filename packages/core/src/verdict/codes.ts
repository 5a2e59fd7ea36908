import type { CheckMode } from '../document/modes.js';
import { ADDRESS_CODES } from './address-codes.js';
import { AUTHORIZER_CODES } from './authorizer-codes.js';
import { ASKED_CODES } from './asked-codes.js';
import { BODY_CODES } from './body-codes.js';
import { BENCH_CODES } from './bench-codes.js';
import { CLAIMS_CODES } from './claims-codes.js';
import { CLIENT_CODES } from './client-codes.js';
import { outcomeOf, type CodeEntry, type Operands, type StepOutcome } from './code-entry.js';
import { CONDITION_CODES } from './condition-codes.js';
import { CONTRACT_CODES } from './contract-codes.js';
import { SENSITIVE_CODES } from './sensitive-codes.js';
import { CREDENTIAL_CODES } from './credential-codes.js';
import { defineCodes } from './define-codes.js';
import { LIMIT_CODES } from './limit-codes.js';
import { MESSAGE_CODES } from './message-codes.js';
import { PROOF_CODES } from './proof-codes.js';
import { RIGHTS_CODES } from './rights-codes.js';
import { ROUTE_CODES } from './route-codes.js';
import { TOKEN_CODES } from './token-codes.js';
import { UPSTREAM_CODES } from './upstream-codes.js';

/** The one table of verdict codes. Documents, control API and console are held to it by tests. */
export const CODES = defineCodes(
  MESSAGE_CODES,
  ROUTE_CODES,
  ADDRESS_CODES,
  CREDENTIAL_CODES,
  TOKEN_CODES,
  ASKED_CODES,
  CLIENT_CODES,
  PROOF_CODES,
  CLAIMS_CODES,
  RIGHTS_CODES,
  CONDITION_CODES,
  AUTHORIZER_CODES,
  LIMIT_CODES,
  CONTRACT_CODES,
  SENSITIVE_CODES,
  BODY_CODES,
  UPSTREAM_CODES,
  BENCH_CODES,
);

export type Code = keyof typeof CODES;

// By the code and not by a condition over all of them: that would be worked out anew wherever something is found.
type OperandsByCode = { readonly [C in Code]: (typeof CODES)[C] extends CodeEntry<infer O> ? O : never };
type FindingByCode = { readonly [C in Code]: { readonly code: C; readonly operands: OperandsByCode[C] } };

/** The operands that a code carries. */
export type OperandsOf<C extends Code> = OperandsByCode[C];

/** What checks find of a few codes. */
export type FindingOf<C extends Code> = FindingByCode[C];

/** What a check found: a code with its values, and no text. */
export type Finding = FindingOf<Code>;

export function finding<C extends Code>(code: C, operands: OperandsOf<C>): FindingOf<C> {
  return { code, operands } as unknown as FindingOf<C>;
}

export function isCode(value: string): value is Code {
  return Object.hasOwn(CODES, value);
}

const ROWS: ReadonlyMap<Code, CodeEntry> = new Map(Object.entries(CODES) as unknown as [Code, CodeEntry][]);

/** The row of a code, with its operands' type forgotten: rows are only ever called with the operands made for them. */
export function entryOf(code: Code): CodeEntry {
  return ROWS.get(code) as CodeEntry;
}

const OUTCOMES: Readonly<Record<CheckMode, ReadonlyMap<Code, StepOutcome>>> = { enforce: outcomesIn('enforce'), observe: outcomesIn('observe') };

function outcomesIn(mode: CheckMode): ReadonlyMap<Code, StepOutcome> {
  return new Map([...ROWS].map(([code, { says }]) => [code, outcomeOf(says, mode)]));
}

/** What becomes of a request by what a step of this mode found. */
export const outcomeOfCode = (code: Code, mode: CheckMode): StepOutcome => OUTCOMES[mode].get(code) as StepOutcome;

/** Operands that were stored, if they are those that the code has in this version; null otherwise. */
export function operandsOf(code: Code, stored: Operands): Operands | null {
  return Object.keys(entryOf(code).example).every((name) => stored[name] !== undefined) ? stored : null;
}
