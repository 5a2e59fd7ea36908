import { ASKED_CODES } from './asked-codes.js';
import { BENCH_CODES } from './bench-codes.js';
import { CLAIMS_CODES } from './claims-codes.js';
import type { CodeEntry, Operands } from './code-entry.js';
import { CREDENTIAL_CODES } from './credential-codes.js';
import { MESSAGE_CODES } from './message-codes.js';
import { PROOF_CODES } from './proof-codes.js';
import { RIGHTS_CODES } from './rights-codes.js';
import { ROUTE_CODES } from './route-codes.js';
import { TOKEN_CODES } from './token-codes.js';
import { UPSTREAM_CODES } from './upstream-codes.js';

/** The one table of verdict codes. Documents, control API and console are held to it by tests. */
export const CODES = {
  ...MESSAGE_CODES,
  ...ROUTE_CODES,
  ...CREDENTIAL_CODES,
  ...TOKEN_CODES,
  ...ASKED_CODES,
  ...PROOF_CODES,
  ...CLAIMS_CODES,
  ...RIGHTS_CODES,
  ...UPSTREAM_CODES,
  ...BENCH_CODES,
} as const;

export type Code = keyof typeof CODES;
export type CodeOf = Code;

/** The operands that a code carries. */
export type OperandsOf<C extends Code> = (typeof CODES)[C] extends CodeEntry<infer O> ? O : never;

/** What a check found: a code with its values, and no text. */
export interface Finding {
  readonly code: Code;
  readonly operands: Operands;
}

export function finding<C extends Code>(code: C, operands: OperandsOf<C>): Finding {
  return { code, operands };
}

export function isCode(value: string): value is Code {
  return Object.hasOwn(CODES, value);
}

/** The row of a code, with its operands' type forgotten: rows are only ever called with the operands made for them. */
export function entryOf(code: Code): CodeEntry {
  return CODES[code] as unknown as CodeEntry;
}
