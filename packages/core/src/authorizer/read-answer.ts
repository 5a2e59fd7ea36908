import { AUTHORIZER_BOUNDS } from '../document/authorizer-rule.js';
import { METHOD_NAMES } from '../document/method-names.js';
import { isRecord } from '../util/json-pointer.js';

/** Requests that an answer is good for: a method or `*`, and a path in which `*` stands for one segment and a last `**` for any rest. */
export interface Covered {
  readonly method: string;
  readonly path: string;
}

/** What an authorizer answered. */
export interface AuthorizerAnswer {
  readonly says: 'allow' | 'deny' | 'sign-in';
  /** Empty where it gives none. */
  readonly reason: string;
  /** Whether the caller may read the reason. */
  readonly tell: boolean;
  /** Header fields to pass up, names in lower case. */
  readonly headers: Readonly<Record<string, string>>;
  /** Requests beyond the one asked about that it is good for. */
  readonly covers: readonly Covered[];
  /** How long it is good, seconds; null where it does not say. */
  readonly seconds: number | null;
}

const MEMBERS: ReadonlySet<string> = new Set(['allow', 'signIn', 'reason', 'tell', 'headers', 'covers', 'seconds']);

/**
 * Reads what a script returned, as JSON text. Whatever is not said exactly is no answer.
 * @param passes names that it may pass up
 * @returns the answer, or what is wrong with it
 */
export function readScriptAnswer(text: string, passes: readonly string[]): AuthorizerAnswer | string {
  if (text.length > AUTHORIZER_BOUNDS.answer) return `an answer has at most ${AUTHORIZER_BOUNDS.answer} characters`;
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    return 'it answered with something that is no JSON';
  }
  if (!isRecord(value)) return 'it answers with an object such as { allow: false, reason: "…" }';
  const unknown = Object.keys(value).find((name) => !MEMBERS.has(name));
  if (unknown !== undefined) return `an answer has no member ${unknown.slice(0, 60)}`;
  const { allow, signIn = false, reason = '', tell = false, headers = {}, covers = [], seconds = null } = value;
  if (typeof allow !== 'boolean') return 'allow is true or false';
  if (typeof signIn !== 'boolean' || (signIn && allow)) return 'signIn is true or false, and true only where allow is false';
  if (typeof reason !== 'string' || reason.length > AUTHORIZER_BOUNDS.reason) return `reason is a text of at most ${AUTHORIZER_BOUNDS.reason} characters`;
  if (typeof tell !== 'boolean') return 'tell is true or false';
  if (seconds !== null && (typeof seconds !== 'number' || !(seconds >= 0))) return 'seconds is a number from 0';
  const passed = readHeaders(headers, passes);
  if (typeof passed === 'string') return passed;
  const covered = readCovers(covers);
  if (typeof covered === 'string') return covered;
  return { says: allow ? 'allow' : signIn ? 'sign-in' : 'deny', reason, tell, headers: passed, covers: covered, seconds };
}

/** A value that no header field can carry, or that another reader would take for two, is refused rather than mended. */
const FIELD_VALUE = /^[\x21-\x7e](?:[\x20-\x7e]*[\x21-\x7e])?$/;

function readHeaders(value: unknown, passes: readonly string[]): Record<string, string> | string {
  if (!isRecord(value)) return 'headers is an object of names and texts';
  const headers: Record<string, string> = {};
  for (const [name, text] of Object.entries(value)) {
    const lower = name.toLowerCase();
    if (!passes.includes(lower)) return `${name.slice(0, 60)} is not among the header fields that it may pass up`;
    if (Object.hasOwn(headers, lower)) return `the header field ${lower} stands twice`;
    if (typeof text !== 'string' || text.length > AUTHORIZER_BOUNDS.passed || !FIELD_VALUE.test(text))
      return `${name} is a text of printable ASCII, at most ${AUTHORIZER_BOUNDS.passed} characters`;
    headers[lower] = text;
  }
  return headers;
}

function readCovers(value: unknown): Covered[] | string {
  if (!Array.isArray(value) || value.length > AUTHORIZER_BOUNDS.covers) return `covers is a list of at most ${AUTHORIZER_BOUNDS.covers} entries`;
  const covers: Covered[] = [];
  for (const entry of value as unknown[]) {
    if (!isRecord(entry) || Object.keys(entry).some((name) => name !== 'method' && name !== 'path')) return 'an entry of covers has a method and a path';
    const { method, path } = entry;
    if (method !== '*' && !(METHOD_NAMES as readonly unknown[]).includes(method)) return 'the method of an entry of covers is one in capitals, or *';
    if (typeof path !== 'string' || !isPattern(path)) return 'the path of an entry of covers begins with a slash; * is one segment, a last ** any rest';
    covers.push({ method: method as string, path });
  }
  return covers;
}

function isPattern(path: string): boolean {
  if (!path.startsWith('/') || path.length > 500) return false;
  const segments = path.slice(1).split('/');
  return segments.every((segment, index) => !segment.includes('*') || segment === '*' || (segment === '**' && index === segments.length - 1));
}

/** Whether a request is among those covered. @param path normalised, as it is routed */
export function isCovered({ method, path }: Covered, asked: { readonly method: string; readonly path: string }): boolean {
  if (method !== '*' && method !== asked.method) return false;
  const pattern = path.slice(1).split('/');
  const segments = asked.path.slice(1).split('/');
  const open = pattern[pattern.length - 1] === '**';
  if (open ? segments.length < pattern.length : segments.length !== pattern.length) return false;
  return pattern.every((part, index) => part === '**' || (part === '*' ? segments[index] !== '' : part === segments[index]));
}
