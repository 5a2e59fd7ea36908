import { isRecord } from '../util/json-pointer.js';
import type { JsonObject } from '../token/read-token.js';

/** What a token says that its sender must prove (RFC 7800 section 3.1). */
export interface Confirmation {
  /** RFC 9449 section 6.1. */
  readonly jkt: string | null;
  /** RFC 8705 section 3.1. */
  readonly certificate: string | null;
  /** Members of `cnf` that this gateway cannot check or read; with any of them the token is refused. */
  readonly unknown: readonly string[];
}

/** Reads `cnf`; null when the token is bound to nothing. What cannot be read is a binding that nobody can meet. */
export function readConfirmation(claims: JsonObject): Confirmation | null {
  const cnf = claims['cnf'];
  if (cnf === undefined) return null;
  if (!isRecord(cnf)) return { jkt: null, certificate: null, unknown: ['cnf that is no object'] };
  if (Object.keys(cnf).length === 0) return { jkt: null, certificate: null, unknown: ['cnf without members'] };
  const text = (name: string) => (typeof cnf[name] === 'string' && cnf[name] !== '' ? cnf[name] : null);
  const jkt = text('jkt');
  const certificate = text('x5t#S256');
  const unknown = Object.keys(cnf).filter((name) => !((name === 'jkt' && jkt !== null) || (name === 'x5t#S256' && certificate !== null)));
  return { jkt, certificate, unknown: unknown.slice(0, 8) };
}
