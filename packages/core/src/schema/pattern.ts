import { RE2JS } from '@bufbuild/re2';

/** Characters of a pattern that are read. */
const MAX_PATTERN = 2000;

/** Characters of a text that a pattern is matched against: a longer one takes too long, and does not match. */
const MAX_TEXT = 65_536;

/** Tells whether a pattern matches somewhere in a text, in time that grows with the text alone; or why it cannot be used. */
export type ReadPattern = { readonly kind: 'pattern'; readonly test: (text: string) => boolean } | { readonly kind: 'unread'; readonly why: string };

/** Patterns that were read, because many schemas share a few. */
const known = new Map<string, ReadPattern>();
const MAX_KNOWN = 5000;

/**
 * Reads a pattern of ECMA-262 (JSON Schema Core 2020-12 section 6.4). Matched without backtracking, so no text can keep it busy;
 * looking around and back-references cannot be matched so and are not read.
 */
export function readPattern(source: string): ReadPattern {
  let found = known.get(source);
  if (!found) {
    found = compilePattern(source);
    if (known.size < MAX_KNOWN) known.set(source, found);
  }
  return found;
}

function compilePattern(source: string): ReadPattern {
  if (source.length > MAX_PATTERN) return { kind: 'unread', why: `the pattern has ${source.length} characters; at most ${MAX_PATTERN} are read` };
  try {
    // What the platform itself does not take is no pattern of ECMA-262.
    const platform = platformPattern(source);
    if (isStraight(source)) return { kind: 'pattern', test: (text) => platform.test(text) };
    const pattern = RE2JS.compile(translate(source));
    return { kind: 'pattern', test: (text) => text.length <= MAX_TEXT && pattern.test(text) };
  } catch (error) {
    return { kind: 'unread', why: `the pattern cannot be matched in bounded time: ${(error as Error).message}`.slice(0, 300) };
  }
}

function platformPattern(source: string): RegExp {
  try {
    return new RegExp(source, 'u');
  } catch {
    // Many descriptions escape characters that need none, which only the older form takes.
    return new RegExp(source);
  }
}

/** One character, class or escape, with a count behind it or not. */
const ATOM =
  /(?:\[\^?(?:[^\]\\[]|\\[dwsDWSnrt.\\/\-[\]^$+*?(){}|])+\]|\\[dwDWnrt.\\/\-[\]^$+*?(){}|]|[^\\^$.|?*+()[\]{}\ud800-\udfff])(\{\d{1,3}(?:,\d{0,3})?\}|[?*+])?/y;

/**
 * Whether the platform's own matcher needs no more steps than the text has characters: held at its beginning, one atom
 * after the other, at most one of which may match more or less often.
 */
function isStraight(source: string): boolean {
  if (!source.startsWith('^')) return false;
  const end = source.endsWith('$') && !source.endsWith('\\$') ? source.length - 1 : source.length;
  let varying = 0;
  ATOM.lastIndex = 1;
  while (ATOM.lastIndex < end) {
    const match = ATOM.exec(source);
    if (match === null || ATOM.lastIndex > end) return false;
    if (match[1] !== undefined && !/^\{\d+\}$/.test(match[1])) varying++;
  }
  return varying <= 1;
}

/** What blanks are in ECMA-262 (section 22.2.2.9), for classes. */
const BLANKS = String.raw`\t\n\x{b}\f\r \x{a0}\x{1680}\x{2000}-\x{200a}\x{2028}\x{2029}\x{202f}\x{205f}\x{3000}\x{feff}`;
const LINE_ENDS = String.raw`\n\r\x{2028}\x{2029}`;

/** The same pattern as the other matcher writes it. @throws Error for what it has no way to write */
function translate(source: string): string {
  let out = '';
  let inClass = false;
  for (let at = 0; at < source.length; at++) {
    const c = source.charAt(at);
    if (c === '[' && !inClass) {
      if (source.startsWith('[]', at)) throw new Error('an empty class');
      inClass = true;
      out += source.charAt(at + 1) === '^' ? '[^' : '[';
      if (source.charAt(at + 1) === '^') at++;
    } else if (c === '[') out += '\\[';
    else if (c === ']') {
      inClass = false;
      out += c;
    } else if (c === '.' && !inClass) out += `[^${LINE_ENDS}]`;
    else if (c === '$' && !inClass) out += '\\z';
    else if (c === '^' && !inClass) out += '\\A';
    else if (c === '(' && source.startsWith('(?<', at) && /[=!]/.test(source.charAt(at + 3))) throw new Error('it looks behind');
    else if (c === '(' && /^\(\?[=!]/.test(source.slice(at, at + 3))) throw new Error('it looks ahead');
    else if (c === '(' && source.startsWith('(?<', at)) {
      out += '(?P<';
      at += 2;
    } else if (c === '\\') {
      const [text, last] = escape(source, at, inClass);
      out += text;
      at = last;
    } else out += c;
  }
  return out;
}

/** An escape and where it ends. */
function escape(source: string, at: number, inClass: boolean): [string, number] {
  const next = source.charAt(at + 1);
  const wrap = (members: string): string => (inClass ? members : `[${members}]`);
  const hex = /^\\(?:u\{([0-9A-Fa-f]{1,6})\}|u([0-9A-Fa-f]{4})|x([0-9A-Fa-f]{2}))/.exec(source.slice(at, at + 12));
  if (hex) return [`\\x{${hex[1] ?? hex[2] ?? hex[3] ?? ''}}`, at + hex[0].length - 1];
  if (next === 's') return [wrap(BLANKS), at + 1];
  if (next === 'S' && !inClass) return [`[^${BLANKS}]`, at + 1];
  if (next === 'S') throw new Error('\\S inside a class');
  if (next === 'c') return [`\\x{${(source.charCodeAt(at + 2) % 32).toString(16)}}`, at + 2];
  if (next === '0' && !/\d/.test(source.charAt(at + 2))) return ['\\x{0}', at + 1];
  if (/[1-9k]/.test(next)) throw new Error('it refers back to what it matched');
  if (next === 'p' || next === 'P') {
    const match = /^\\[pP]\{([^}]+)\}/.exec(source.slice(at, at + 60));
    if (!match) return [next, at + 1];
    return [`\\${next}{${propertyName(match[1] ?? '')}}`, at + match[0].length - 1];
  }
  if (/[bBdDwWnrtfv]/.test(next)) return [inClass && next === 'b' ? '\\x{8}' : `\\${next}`, at + 1];
  return [/[A-Za-z0-9_]/.test(next) ? next : `\\${next}`, at + 1];
}

/** Long names of general categories that are written short elsewhere (ECMA-262 table 70). */
const CATEGORIES: Readonly<Record<string, string>> = {
  Letter: 'L',
  Uppercase_Letter: 'Lu',
  Lowercase_Letter: 'Ll',
  Number: 'N',
  Decimal_Number: 'Nd',
  digit: 'Nd',
  Punctuation: 'P',
  Symbol: 'S',
  Mark: 'M',
  Separator: 'Z',
};

const propertyName = (name: string): string => CATEGORIES[name] ?? name.replace(/^(?:Script|sc|General_Category|gc)=/, '');
