import { canonicalJson } from '../util/canonical-json.js';
import type { JsonObject } from '../token/read-token.js';

/** One member of two tokens, side by side. */
export interface TokenDifference {
  readonly part: 'header' | 'payload';
  readonly name: string;
  readonly kind: 'same' | 'changed' | 'only-first' | 'only-second';
  /** As JSON; null where the token has no such member. */
  readonly first: string | null;
  readonly second: string | null;
}

type Parts = { readonly header: JsonObject; readonly claims: JsonObject };

/** Compares two tokens member by member, header first, names in order of appearance. Equal means equal as JSON values. */
export function compareTokens(first: Parts, second: Parts): readonly TokenDifference[] {
  return [...compareObjects('header', first.header, second.header), ...compareObjects('payload', first.claims, second.claims)];
}

function compareObjects(part: TokenDifference['part'], first: JsonObject, second: JsonObject): TokenDifference[] {
  return [...new Set([...Object.keys(first), ...Object.keys(second)])].map((name) => {
    const [a, b] = [textOf(first, name), textOf(second, name)];
    const kind = a === null ? 'only-second' : b === null ? 'only-first' : a === b ? 'same' : 'changed';
    return { part, name, kind, first: a, second: b };
  });
}

const textOf = (object: JsonObject, name: string): string | null => (Object.hasOwn(object, name) ? canonicalJson(object[name]) : null);
