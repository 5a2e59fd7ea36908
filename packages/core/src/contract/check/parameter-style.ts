/** How a parameter is written (OpenAPI 3.1.2 section 4.8.12.3). */
export const PARAMETER_STYLES = ['matrix', 'label', 'simple', 'form', 'spaceDelimited', 'pipeDelimited', 'deepObject'] as const;
export type ParameterStyle = (typeof PARAMETER_STYLES)[number];

export interface Written {
  readonly name: string;
  readonly style: ParameterStyle;
  readonly explode: boolean;
  /** In a query `+` stands for a blank, unless reserved characters may stand for themselves. */
  readonly plusIsBlank: boolean;
}

/** What kind of value a text is read as. */
export type Form = 'one' | 'list' | 'object';

/** A value of texts, before types are looked at. */
export type Texts = string | readonly string[] | Readonly<Record<string, string | readonly string[]>>;

/** What could not be read, in words. */
export class Unreadable extends Error {}

/** Names and values of a query or of cookies as they were sent, still escaped. */
export type Pairs = readonly (readonly [name: string, value: string])[];

export function decode(text: string, plusIsBlank = false): string {
  try {
    return decodeURIComponent(plusIsBlank ? text.replaceAll('+', ' ') : text);
  } catch {
    throw new Unreadable('an escape that is no UTF-8');
  }
}

/**
 * Reads the one text of a path segment or a header field: `matrix`, `label` and `simple`.
 * @param raw escaped as it was sent
 * @throws Unreadable
 */
export function readText(raw: string, { name, style, explode }: Written, form: Form, plain: boolean): Texts {
  const unescape = plain ? (text: string): string => text : (text: string): string => decode(text);
  if (style === 'matrix') return readMatrix(raw, name, explode, form, unescape);
  let body = raw;
  if (style === 'label') {
    if (!raw.startsWith('.')) throw new Unreadable('a text that does not begin with a dot');
    body = raw.slice(1);
  }
  const between = style === 'label' && explode ? '.' : ',';
  return readJoined(body, between, explode, form, unescape, plain);
}

function readMatrix(raw: string, name: string, explode: boolean, form: Form, unescape: (text: string) => string): Texts {
  if (!raw.startsWith(';')) throw new Unreadable('a text that does not begin with a semicolon');
  const pairs = raw
    .slice(1)
    .split(';')
    .map((part): [string, string] => splitAt(part, '='));
  if (form === 'object' && explode) return objectOf(pairs.map(([key, value]) => [unescape(key), unescape(value)]));
  if (pairs.some(([key]) => unescape(key) !== name)) throw new Unreadable(`a text that does not begin with ;${name}`);
  if (form === 'list' && explode) return pairs.map(([, value]) => unescape(value));
  if (pairs.length !== 1) throw new Unreadable('several values');
  return readJoined(pairs[0]?.[1] ?? '', ',', false, form, unescape, false);
}

function readJoined(body: string, between: string, explode: boolean, form: Form, unescape: (text: string) => string, trimmed: boolean): Texts {
  if (form === 'one') return unescape(body);
  // A header may have blanks around commas (RFC 9110 section 5.6.1).
  const items = body === '' ? [] : body.split(between).map((item) => unescape(trimmed ? item.trim() : item));
  if (form === 'list') return items;
  if (explode) return objectOf(items.map((item) => splitAt(item, '=')));
  if (items.length % 2 !== 0) throw new Unreadable('a name without a value');
  return objectOf(items.flatMap((item, index) => (index % 2 === 0 ? [[item, items[index + 1] ?? ''] as [string, string]] : [])));
}

const splitAt = (text: string, mark: string): [string, string] => {
  const at = text.indexOf(mark);
  return at < 0 ? [text, ''] : [text.slice(0, at), text.slice(at + mark.length)];
};

function objectOf(pairs: readonly (readonly [string, string])[]): Record<string, string> {
  const made = Object.create(null) as Record<string, string>;
  for (const [name, value] of pairs) {
    if (name in made) throw new Unreadable('a member twice');
    made[name] = value;
  }
  return made;
}

/**
 * Reads a parameter out of a query or of cookies: `form`, `spaceDelimited`, `pipeDelimited`, `deepObject`.
 * @param members names that a value spread over several pairs may have; null for any
 * @param claim told which pairs belong to it, by index
 * @throws Unreadable
 */
export function readPairs(pairs: Pairs, written: Written, form: Form, members: ReadonlySet<string> | null, claim: (index: number) => void): Texts | undefined {
  const { name, style, explode, plusIsBlank } = written;
  const unescape = (text: string): string => decode(text, plusIsBlank);
  if (style === 'deepObject') return readDeep(pairs, name, unescape, claim);
  if (form === 'object' && explode) {
    const mine: [string, string][] = [];
    pairs.forEach(([key, value], index) => {
      const plain = unescape(key);
      if (members !== null && !members.has(plain)) return;
      claim(index);
      mine.push([plain, unescape(value)]);
    });
    return mine.length === 0 ? undefined : objectOf(mine);
  }
  const values: string[] = [];
  pairs.forEach(([key, value], index) => {
    if (unescape(key) !== name) return;
    claim(index);
    values.push(value);
  });
  const [first] = values;
  if (first === undefined) return undefined;
  if (form === 'list' && explode) return values.map(unescape);
  if (values.length > 1) throw new Unreadable('several values');
  if (form === 'one') return unescape(first);
  const between = style === 'spaceDelimited' ? / |%20|\+/ : style === 'pipeDelimited' ? /\||%7[cC]/ : /,/;
  const items = first === '' ? [] : first.split(between).map(unescape);
  if (form === 'list') return items;
  if (items.length % 2 !== 0) throw new Unreadable('a name without a value');
  return objectOf(items.flatMap((item, index) => (index % 2 === 0 ? [[item, items[index + 1] ?? ''] as [string, string]] : [])));
}

function readDeep(pairs: Pairs, name: string, unescape: (text: string) => string, claim: (index: number) => void): Texts | undefined {
  const made = Object.create(null) as Record<string, string | string[]>;
  let any = false;
  pairs.forEach(([key, value], index) => {
    const plain = unescape(key);
    if (!plain.startsWith(`${name}[`) || !plain.endsWith(']')) return;
    claim(index);
    any = true;
    const member = plain.slice(name.length + 1, -1);
    // What deeper brackets mean is defined nowhere.
    if (/[[\]]/.test(member)) throw new Unreadable('brackets inside brackets');
    const before = made[member];
    made[member] = before === undefined ? unescape(value) : [...(Array.isArray(before) ? before : [before]), unescape(value)];
  });
  return any ? made : undefined;
}

/** Pairs of a query, still escaped. */
export const queryPairs = (query: string): Pairs =>
  query.length < 2
    ? []
    : query
        .slice(query.startsWith('?') ? 1 : 0)
        .split('&')
        .filter((pair) => pair !== '')
        .map((pair) => splitAt(pair, '='));

/** Pairs of a Cookie header (RFC 6265 section 4.2.1). */
export const cookiePairs = (header: string): Pairs =>
  header
    .split(';')
    .map((pair) => splitAt(pair.trim(), '='))
    .filter(([name]) => name !== '');
