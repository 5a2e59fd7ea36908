/** Where something was found in a text: from the first character to behind the last one. */
export interface Span {
  readonly from: number;
  readonly to: number;
}

export const DETECTOR_GROUPS = ['contact', 'payment', 'network', 'credential', 'identity', 'own'] as const;
export type DetectorGroup = (typeof DETECTOR_GROUPS)[number];

/** Finds one kind of sensitive data. It verifies what it finds: by check digits, by what is assigned, by how it is built. */
export interface Detector {
  readonly id: string;
  readonly name: string;
  readonly group: DetectorGroup;
  /** How what looks like one is verified, in words. */
  readonly verifies: string;
  /** @param member the name of the member, parameter or header field that the text stands in; empty for none */
  find(text: string, member: string): readonly Span[];
  /** What may be shown of one: enough to find it again where it came from. */
  mask(text: string): string;
}

/** Characters of one text that are looked through; what stands behind is not seen. */
export const MOST_CHARACTERS = 262_144;

/** Things found in one text by one detector; a text with more was not looked through whole. */
export const MOST_SPANS = 20_000;

export const NOTHING: readonly Span[] = Object.freeze([]);

/** Letters and digits become stars, all other signs stay. @param keep so many letters and digits at the end stay too */
export function starred(text: string, keep = 0): string {
  let left = text.replace(/[^\p{L}\p{N}]/gu, '').length - keep;
  return text.replace(/[\p{L}\p{N}]/gu, (sign) => (left-- > 0 ? '*' : sign));
}

/** All matches of an expression that takes time in proportion to the text, as far as each is right. */
export function spansOf(text: string, expression: RegExp, isRight: (found: string) => boolean): readonly Span[] {
  const found: Span[] = [];
  for (const match of text.matchAll(expression)) {
    if (!isRight(match[0])) continue;
    found.push({ from: match.index, to: match.index + match[0].length });
    if (found.length >= MOST_SPANS) break;
  }
  return found;
}

/** Words of a name, in small letters: `homePhone_2` is home, phone and 2. */
export const wordsOf = (name: string): readonly string[] =>
  name
    .slice(0, 100)
    .replace(/([a-z0-9])([A-Z])/g, '$1 $2')
    .toLowerCase()
    .split(/[^a-z0-9]+/);
