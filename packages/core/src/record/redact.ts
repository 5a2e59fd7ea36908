import type { TokenPlace } from '../document/token-rule.js';
import { isSecretName, isSecretSegment } from '../util/secret-names.js';

// Every expression here takes time in proportion to the text, whatever a caller writes: each begins only where a run
// begins, and what a run is, is decided outside of the expression.
const PARAMETER = /([?&;#])([^=&;?#]*)=([^&;#]*)/g;
/** What none of these expressions finds anything in: no parameter, no path, no dots, no long run. */
const NOTHING = /^(?:[^=/.A-Za-z0-9_~+-]|[A-Za-z0-9_~+-]{1,15}(?![A-Za-z0-9_~+-]))*$/;
/** A run of base64url characters with dots behind it: what a compact JWS or JWE looks like. */
const DOTTED = /(?<![A-Za-z0-9_-])[A-Za-z0-9_-]{10,}(?:\.[A-Za-z0-9_-]*){1,4}/g;
/** Runs of an alphabet that random values have. */
const LONG_RUN = /[A-Za-z0-9_~+-]{16,}/g;
const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;
/** Schemes of the registry of RFC 9110 section 16.4.1; another first word may be the secret itself. */
const SCHEMES = /^(basic|bearer|dpop|digest|gnap|hoba|mutual|negotiate|ntlm|oauth|privatetoken|scram-sha-\d+|vapid)(?= |$)/i;

/** So many values of one request are looked for in its other parts; a caller chooses how many there are. Each is taken out where it stands in any case. */
const MAX_CREDENTIALS = 32;
/** So many names are remembered with what was said of them. */
const MAX_NAMES = 500;
/** So many texts in which nothing was found are remembered, none of them longer than this. */
const MAX_TEXTS = 2000;
const LONGEST_TEXT = 200;

/** What can be a credential in the requests of one release: where it takes tokens from, beside what every release knows. */
export interface Redactor {
  /** Values that stand where credentials do, so that they can be removed wherever else they stand. */
  credentialsOf(headers: Readonly<Record<string, string | readonly string[] | undefined>>, query: string): string[];
  /** A text without what could be a credential. What is taken out is named, never shown. */
  text(text: string, credentials: readonly string[]): string;
  /** A header value for a trace. A known scheme of a credential is kept, its bytes are not. */
  header(name: string, value: string, credentials: readonly string[]): string;
}

/** Compiles what is taken out of traces. @param places all places of the release that tokens are taken from */
export function compileRedactor(places: readonly TokenPlace[] = []): Redactor {
  const named = (kind: TokenPlace['kind']): ReadonlySet<string> =>
    new Set(places.filter((place) => place.kind === kind).map(({ name }) => (kind === 'header' ? name.toLowerCase() : name)));
  const [headers, parameters] = [named('header'), named('query')];
  const isSecretHeader = remembered((name) => headers.has(name.toLowerCase()) || isSecretName(name) || /^(set-)?cookie$/i.test(name));
  const isSecretParameter = (name: string): boolean => parameters.has(decoded(name)) || isSecretName(decoded(name));
  const clean = cleanTexts((given) => redact(given, isSecretParameter));
  const text = (given: string, credentials: readonly string[]): string => clean(withoutAll(given, credentials));
  return {
    text,
    credentialsOf: (fields, query) => {
      const found: string[] = [];
      for (const [name, value] of Object.entries(fields)) {
        if (value === undefined || !isSecretHeader(name)) continue;
        for (const one of typeof value === 'string' ? [value] : value) found.push(one, ...partsOf(name, one));
      }
      if (query !== '') for (const [name, value] of new URLSearchParams(query)) if (isSecretParameter(name)) found.push(value);
      // The longest first, so that no shorter one leaves a piece of it behind.
      return [...new Set(found.map((one) => one.trim()))]
        .filter((one) => one.length >= 4)
        .sort((a, b) => b.length - a.length)
        .slice(0, MAX_CREDENTIALS);
    },
    header: (name, value, credentials) => {
      if (!isSecretHeader(name)) return text(value, credentials);
      if (/^cookie$/i.test(name))
        return value
          .split(';')
          .map((pair) => `${withoutAll((pair.split('=')[0] ?? '').trim(), credentials)}=<removed>`)
          .join('; ');
      const scheme = /authorization$/i.test(name) ? SCHEMES.exec(value)?.[0] : undefined;
      return `${scheme ? `${scheme} ` : ''}<removed, ${value.length} characters>`;
    },
  };
}

/** Keeps what was said of a name, because the same few come again and again. Bounded: callers choose names. */
function remembered(says: (name: string) => boolean): (name: string) => boolean {
  const known = new Map<string, boolean>();
  return (name) => {
    let said = known.get(name);
    if (said === undefined) {
      said = says(name);
      if (known.size < MAX_NAMES && name.length <= 100) known.set(name, said);
    }
    return said;
  };
}

/**
 * Keeps texts in which nothing was found, because most of what traces say is what the one before said. What has something in it is
 * never kept. Bounded: callers choose texts.
 */
function cleanTexts(redacted: (text: string) => string): (text: string) => string {
  const known = new Set<string>();
  return (text) => {
    if (known.has(text)) return text;
    const left = redacted(text);
    if (left === text && text.length <= LONGEST_TEXT) {
      if (known.size >= MAX_TEXTS) known.clear();
      known.add(text);
    }
    return left;
  };
}

const ANY_RELEASE = compileRedactor();

/** `Redactor.text` for where no release is at hand. @param credential one that is known, removed wherever it stands */
export const redactText = (text: string, credential: string | null = null): string => ANY_RELEASE.text(text, credential === null ? [] : [credential]);

/** `Redactor.header` for where no release is at hand. */
export const redactHeader = (name: string, value: string, credential: string | null = null): string =>
  ANY_RELEASE.header(name, value, credential === null ? [] : [credential]);

/** The pieces of a header that are secrets by themselves: cookie values, and what stands behind a scheme. */
function partsOf(name: string, value: string): string[] {
  if (/^cookie$/i.test(name)) return value.split(';').map((pair) => pair.slice(pair.indexOf('=') + 1));
  return value.split(/[\s,]+/).filter((part) => !SCHEMES.test(part));
}

const withoutAll = (text: string, credentials: readonly string[]): string =>
  credentials.reduce(
    (clean, credential) => (credential.length < 4 || credential.length > clean.length ? clean : clean.replaceAll(credential, '<credential>')),
    text,
  );

function redact(text: string, isSecretParameter: (name: string) => boolean): string {
  if (text.length < 16 ? !/[=/.]/.test(text) : NOTHING.test(text)) return text;
  return text
    .replace(PARAMETER, (all, mark: string, name: string) => (isSecretParameter(name) ? `${mark}${name}=<removed>` : all))
    .split('/')
    .map((segment, index, all) => (index > 0 && segment !== '' && isSecretSegment(all[index - 1] ?? '') && isPathPiece(segment) ? '<removed>' : segment))
    .join('/')
    .replace(DOTTED, (all) => {
      const start = all.indexOf('ey');
      return start < 0 ? all : `${all.slice(0, start)}<JWT>`;
    })
    .replace(LONG_RUN, (run) => (isRandom(run) ? '<secret?>' : run));
}

const isPathPiece = (segment: string): boolean => /^[^\s?]+$/.test(segment) && !segment.startsWith('<');

/** Whether a run of characters looks made by chance and not by an author: a key, a code, a digest. */
function isRandom(run: string): boolean {
  if (UUID.test(run)) return false;
  if (run.length >= 32 && /[0-9]/.test(run) && /[a-z]/.test(run) && /[A-Z]/.test(run)) return true;
  return run.split(/[-_~+]/).some((piece) => piece.length >= 16 && changes(piece) >= 4);
}

/** How often a text changes between digits and letters. Words with a number in them do so once or twice. */
function changes(text: string): number {
  let count = 0;
  for (let at = 1; at < text.length; at++) if (isDigit(text, at) !== isDigit(text, at - 1)) count++;
  return count;
}

const isDigit = (text: string, at: number): boolean => text.charCodeAt(at) >= 48 && text.charCodeAt(at) <= 57;

function decoded(name: string): string {
  try {
    return decodeURIComponent(name.replaceAll('+', ' '));
  } catch {
    return name;
  }
}
