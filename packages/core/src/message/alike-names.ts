const PLAIN = /^[a-z0-9_-]*$/;

/**
 * A name as readers take it that know no case: many that map JSON, forms and queries to members of a program (common practice). Letters
 * that are capital or small forms of others count as these, in whichever alphabet.
 */
export const withoutCase = (name: string): string => (PLAIN.test(name) ? name : name.toUpperCase().toLowerCase());

/** As readers take names that make variables of parameters and cookies: no case, dots and blanks as underscores, and what stands in brackets as a part of its own (common practice). */
const alike = (name: string): string => withoutCase(name).replace(/[. ]/g, '_');
const beforeBracket = (name: string): string => {
  const at = name.indexOf('[');
  return at > 0 ? name.slice(0, at) : name;
};

/**
 * A name that some readers take for one that is looked at, as `Force` for `force`; null for none.
 * @param asked names that are looked at; null where all are, so that two that are alike are too much
 */
export function otherCase(names: readonly string[], asked: readonly string[] | null): string | null {
  if (asked !== null) {
    if (asked.length === 0) return null;
    const wanted = new Set(asked.map(withoutCase));
    const exact = new Set(asked);
    return names.find((name) => !exact.has(name) && wanted.has(withoutCase(name))) ?? null;
  }
  const seen = new Set<string>();
  return names.find((name) => seen.size === seen.add(withoutCase(name)).size) ?? null;
}

/** What is wrong with such a name, for messages, behind what it is a name of. */
export const inOtherCase = (name: string): string => `${name.slice(0, 60)} differs from another name in case alone, and some readers take it for that`;

/** A name that came, as it is written and as some take it. */
interface CameName {
  readonly name: string;
  readonly alike: string;
  /** Whether only some readers see a name here. */
  readonly apart: boolean;
}

const cameName = (piece: string, apart: boolean): CameName => {
  const name = unescaped((piece.split('=', 1)[0] ?? '').trim());
  return { name, alike: alike(name), apart };
};

/** Names that were read already, as of the members of a form. */
export const plainNames = (names: readonly string[]): readonly CameName[] => names.map((name) => ({ name, alike: alike(name), apart: false }));

/** Names in a query without its question mark, those too that only readers see who begin another parameter at a semicolon. */
export const queryNames = (query: string): readonly CameName[] =>
  query === '' ? [] : query.split('&').flatMap((pair) => pair.split(';').map((piece, index) => cameName(piece, index > 0)));

/** Whether some reader takes a name for another one, or it is that. */
export const meansName = (name: string, wanted: string): boolean => beforeBracket(alike(name.trim())) === wanted;

/** Names and values in a query without its question mark, those too that only readers see who begin another parameter at a semicolon. */
export const queryMembers = (query: string): readonly (readonly [name: string, value: string])[] =>
  query.split(/[&;]/).flatMap((piece) => {
    const at = piece.indexOf('=');
    return at > 0 ? [[unescaped(piece.slice(0, at)), unescaped(piece.slice(at + 1))] as const] : [];
  });

/** Names in a Cookie header, those too that only readers see who begin another cookie at a comma (as RFC 2965 section 3.3.4 did, from memory). */
export const cookieNames = (header: string): readonly CameName[] =>
  header.split(';').flatMap((pair) => pair.split(',').map((piece, index) => cameName(piece, index > 0)));

/** A name that came and that some readers take for one that is looked at; null for none. @param known names that are themselves looked at */
export function takenFor(came: readonly CameName[], wanted: string, known: ReadonlySet<string> | null = null): string | null {
  const folded = alike(wanted);
  const isPart = wanted.includes('[');
  const isMeant = ({ name, alike: as, apart }: CameName): boolean =>
    (isPart ? as : beforeBracket(as)) === folded && (apart || (name !== wanted && known?.has(name) !== true));
  return came.find(isMeant)?.name ?? null;
}

/** The first of several names that are looked at for which another one came; null for none. */
export function takenForAny(came: readonly CameName[], wanted: readonly string[]): string | null {
  const known = new Set(wanted);
  for (const name of wanted) {
    const other = takenFor(came, name, known);
    if (other !== null) return other;
  }
  return null;
}

/** What is wrong with such a name, for messages, behind what it is a name of. */
export const inPlaceOf = (name: string): string => `${name.slice(0, 60)} is taken for another one by some readers`;

function unescaped(text: string): string {
  try {
    return decodeURIComponent(text.replaceAll('+', ' '));
  } catch {
    return text;
  }
}
