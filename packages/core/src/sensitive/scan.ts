import { pointerToken } from '../util/json-pointer.js';
import { isSecretName } from '../util/secret-names.js';
import { MOST_CHARACTERS, MOST_SPANS, starred, type Detector, type Span } from './detector.js';
import { formPairs } from './text-of-body.js';
import { isPrivateMember, PRIVATE_MEMBER } from './credential-detectors.js';

/** Something that was found at one place. */
export interface Hit {
  readonly detector: Detector;
  /** A pointer with `*` for every item of a list; a name for what is no JSON; empty for the whole. */
  readonly at: string;
  /** What was found. Never kept: only its mask is shown. */
  readonly text: string;
}

/** A text with what was found in it. */
export interface Scanned {
  readonly hits: readonly Hit[];
  /** The text with everything masked that was found; null where nothing was. */
  readonly masked: string | null;
  /** Whether all of it was looked through: a text that is too long, or has too much in it, was not. */
  readonly whole: boolean;
  /** All that was found, told or not. */
  readonly count: number;
}

/** Things that are found in one body. One with more was not looked through whole: whoever sends such bodies keeps nobody waiting with them. */
const MOST_FOUND = 20_000;

/** Things that are told of one text, and one more of each detector that would have none; more are masked all the same. */
export const MOST_HITS = 500;

/** Looks through a text that is no JSON. */
export function scanText(text: string, detectors: readonly Detector[], at = '', member = ''): Scanned {
  const found: Found = { hits: [], told: new Set(), whole: true, count: 0 };
  const masked = look(text, member, at, detectors, found);
  return { hits: found.hits, whole: found.whole, count: found.count, masked };
}

/** Looks through a form (`application/x-www-form-urlencoded`), pair by pair. Pairs in which nothing is found stay as they were written. */
export function scanForm(form: string, detectors: readonly Detector[]): Scanned {
  const found: Found = { hits: [], told: new Set(), whole: true, count: 0 };
  const names = new Names(detectors, found);
  let masks = false;
  const pairs = form.split('&').map((pair) => {
    const [[name, value] = ['', '']] = formPairs(pair);
    const shown = names.masked(name, '');
    const masked = look(value, name, `/${pointerToken(shown ?? name)}`, detectors, found);
    if (shown === null && masked === null) return pair;
    masks = true;
    const mark = pair.includes('=') ? '=' : '';
    return `${encodeURIComponent(shown ?? name)}${mark}${encodeURIComponent(masked ?? value)}`;
  });
  return { hits: found.hits, whole: found.whole, count: found.count, masked: masks ? pairs.join('&') : null };
}

interface Found {
  readonly hits: Hit[];
  readonly told: Set<Detector>;
  whole: boolean;
  /** All that was found so far, told or not. */
  count: number;
}

/** What stands in a text; with it masked, null for nothing. */
function look(given: string, member: string, at: string, detectors: readonly Detector[], into: Found): string | null {
  if (given.length > MOST_CHARACTERS) into.whole = false;
  if (into.count > MOST_FOUND) return null;
  const text = given.length > MOST_CHARACTERS ? given.slice(0, MOST_CHARACTERS) : given;
  let found: (Span & { readonly detector: Detector })[] | null = null;
  for (const detector of detectors) {
    const spans = detector.find(text, member);
    into.count += spans.length;
    if (spans.length >= MOST_SPANS || into.count > MOST_FOUND) into.whole = false;
    if (spans.length > 0) (found ??= []).push(...spans.map((span) => ({ ...span, detector })));
  }
  if (found === null) return null;
  found.sort((a, b) => a.from - b.from || b.to - a.to);
  let masked = '';
  let end = 0;
  let region: Region | null = null;
  const write = (): void => {
    if (region === null) return;
    const own = text.slice(region.from, region.to);
    masked += text.slice(end, region.from) + (region.detector === null ? starred(own) : region.detector.mask(own));
    end = region.to;
  };
  for (const { from, to, detector } of found) {
    // Of two of which one lies in the other the longer one is what it is; the other may be a piece of it.
    if (region !== null && to <= region.to) continue;
    tell(into, { detector, at, text: text.slice(from, to) });
    // Of two of which neither does both are, and what one shows of its end the other may hide.
    if (region !== null && from < region.to) region = { from: region.from, to, detector: null };
    else {
      write();
      region = { from, to, detector };
    }
  }
  write();
  return masked + given.slice(end);
}

/** What is masked in one piece. */
interface Region extends Span {
  /** Null where several lie over one another in part. */
  readonly detector: Detector | null;
}

/** Of each detector at least one thing is told, however much others find. */
function tell(into: Found, hit: Hit): void {
  if (into.hits.length >= MOST_HITS && into.told.has(hit.detector)) return;
  into.told.add(hit.detector);
  into.hits.push(hit);
}

/** Names of members: what is looked for stands in them too, where a list is kept by it. Each is looked at once. */
class Names {
  readonly #detectors: readonly Detector[];
  readonly #found: Found;
  readonly #masked = new Map<string, string | null>();

  constructor(detectors: readonly Detector[], found: Found) {
    this.#detectors = detectors;
    this.#found = found;
  }

  /** A name with all masked that stands in it; null for nothing. @param at where it stands */
  masked(name: string, at: string): string | null {
    let masked = this.#masked.get(name);
    if (masked === undefined) this.#masked.set(name, (masked = look(name, '', `${at}/*`, this.#detectors, this.#found)));
    return masked;
  }
}

/** One object or list on the way down. */
interface Level {
  readonly at: string;
  readonly isObject: boolean;
  member: string;
  /** What places below it are called by: never by what was found in a name. */
  shown: string;
  /** What stood at `kty`, and where texts of private members of a key would stand. */
  keyType: string;
  keyParts: { readonly member: string; readonly token: Token }[] | null;
}

interface Token {
  readonly from: number;
  readonly to: number;
  readonly at: string;
  readonly value: string;
}

const QUOTE = 34;
const BACKSLASH = 92;

/**
 * Looks through a JSON text, every member of it, those that stand twice too. All that is not masked stays as it was written.
 * @returns null for what is no JSON
 */
export function scanJsonText(text: string, detectors: readonly Detector[]): Scanned | null {
  try {
    JSON.parse(text);
  } catch {
    return null;
  }
  const found: Found = { hits: [], told: new Set(), whole: true, count: 0 };
  const changes: { readonly from: number; readonly to: number; readonly text: string }[] = [];
  const levels: Level[] = [];
  const names = new Names(detectors, found);
  const keys = detectors.filter(({ id }) => id === 'private-key');
  const meet = (token: Token, member: string, isText: boolean): void => {
    const masked = look(token.value, member, token.at, detectors, found);
    if (masked !== null) changes.push({ from: token.from, to: token.to, text: isText ? JSON.stringify(masked) : '0' });
  };
  const close = (level: Level): void => {
    if (level.keyParts === null || keys.length === 0) return;
    for (const { member, token } of level.keyParts) {
      if (!isPrivateMember(level.keyType, member)) continue;
      const masked = look(token.value, PRIVATE_MEMBER, token.at, keys, found);
      if (masked !== null) changes.push({ from: token.from, to: token.to, text: JSON.stringify(masked) });
    }
  };
  let expectsName = false;
  for (let at = 0; at < text.length; at++) {
    const code = text.charCodeAt(at);
    const level = levels[levels.length - 1];
    if (code === QUOTE) {
      const end = endOfText(text, at);
      const value = unescaped(text, at, end);
      if (expectsName && level) {
        const masked = names.masked(value, level.at);
        if (masked !== null) changes.push({ from: at, to: end, text: JSON.stringify(masked) });
        level.member = value;
        level.shown = masked === null ? value : '*';
        expectsName = false;
      } else {
        const token = { from: at, to: end, at: placeOf(level), value };
        const member = level?.member ?? '';
        if (level?.isObject && member === 'kty') level.keyType = value;
        if (level?.isObject && (member === 'd' || member === 'k')) (level.keyParts ??= []).push({ member, token });
        meet(token, member, true);
      }
      at = end - 1;
    } else if (code === 123 || code === 91) {
      levels.push({ at: placeOf(level), isObject: code === 123, member: code === 123 ? '' : (level?.member ?? ''), shown: '', keyType: '', keyParts: null });
      expectsName = code === 123;
    } else if (code === 125 || code === 93) {
      const ended = levels.pop();
      if (ended) close(ended);
      expectsName = false;
    } else if (code === 44) expectsName = level?.isObject ?? false;
    else if (code === 45 || (code >= 48 && code <= 57)) {
      let end = at + 1;
      while (end < text.length && /[0-9.eE+-]/.test(text.charAt(end))) end++;
      // Numbers that something could be found in have many digits, or a name that says so.
      if (end - at >= 8 || isSecretName(level?.member ?? ''))
        meet({ from: at, to: end, at: placeOf(level), value: text.slice(at, end) }, level?.member ?? '', false);
      at = end - 1;
    }
  }
  return { hits: found.hits, whole: found.whole, count: found.count, masked: changes.length === 0 ? null : changed(text, changes) };
}

const placeOf = (level: Level | undefined): string => (level === undefined ? '' : `${level.at}/${level.isObject ? pointerToken(level.shown) : '*'}`);

function endOfText(text: string, start: number): number {
  let at = start + 1;
  while (at < text.length && text.charCodeAt(at) !== QUOTE) at += text.charCodeAt(at) === BACKSLASH ? 2 : 1;
  return at + 1;
}

function unescaped(text: string, from: number, to: number): string {
  const inner = text.slice(from + 1, to - 1);
  return inner.includes('\\') ? (JSON.parse(text.slice(from, to)) as string) : inner;
}

function changed(text: string, changes: { readonly from: number; readonly to: number; readonly text: string }[]): string {
  changes.sort((a, b) => a.from - b.from);
  const parts: string[] = [];
  let end = 0;
  for (const change of changes) {
    if (change.from < end) continue;
    parts.push(text.slice(end, change.from), change.text);
    end = change.to;
  }
  parts.push(text.slice(end));
  return parts.join('');
}
