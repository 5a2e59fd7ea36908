import type { TokenPlace } from '../document/token-rule.js';
import type { CredentialMemory } from './digest-memory.js';

/** What is looked at to find a credential. */
export interface RequestHead {
  header(name: string): string | undefined;
  /** With its question mark; empty where there is none. */
  readonly query: string;
  /** What the connection remembers; null for nothing. */
  readonly memory: CredentialMemory | null;
}

/** A place in words. */
export function placeWords({ kind, name }: TokenPlace): string {
  if (kind === 'header') return name === 'authorization' ? 'the Authorization header' : `the header ${name}`;
  return kind === 'cookie' ? `the cookie ${name}` : `the query parameter ${name}`;
}

/**
 * What stands in a cookie, a parameter or a header, without regard to schemes; null or undefined when nothing does. What
 * stands twice gives a text with a blank or a comma in it, so that no reader can take one of them.
 */
export function readPlace({ kind, name }: TokenPlace, head: RequestHead): string | null | undefined {
  switch (kind) {
    case 'header':
      return head.header(name);
    case 'cookie':
      return cookieOf(head.header('cookie'), name);
    case 'query':
      return parameterOf(head.query, name);
  }
}

/** The value of a cookie (RFC 6265 section 5.4). */
function cookieOf(header: string | undefined, name: string): string | null {
  if (header === undefined) return null;
  const values = header.split(';').flatMap((pair) => {
    const at = pair.indexOf('=');
    return at > 0 && pair.slice(0, at).trim() === name ? [pair.slice(at + 1).trim()] : [];
  });
  return values.length === 0 ? null : values.join(' ');
}

/** The value of a query parameter; names are compared decoded. */
function parameterOf(query: string, name: string): string | null {
  if (query === '') return null;
  const values = new URLSearchParams(query).getAll(name);
  return values.length === 0 ? null : values.join(' ');
}

export const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
