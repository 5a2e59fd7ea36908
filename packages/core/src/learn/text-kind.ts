import { TEXT_FORMATS } from '../schema/formats.js';

/** What a text is, as far as JSON Schema has a type or a format for it; `text` is every other. */
export const TEXT_KINDS = ['integer', 'number', 'boolean', 'uuid', 'date', 'date-time', 'email', 'ipv4', 'ipv6', 'uri', 'text'] as const;
export type TextKind = (typeof TEXT_KINDS)[number];

/** Formats in the order in which they are tried: what is of an earlier one is of no later one. */
const FORMATS = ['uuid', 'date', 'date-time', 'email', 'ipv4', 'ipv6'] as const;

/** Characters of a text that is held against formats. */
const MOST_CHARACTERS = 400;

export function textKind(text: string): TextKind {
  if (text === '' || text.length > MOST_CHARACTERS) return 'text';
  if (/^-?(?:0|[1-9]\d{0,14})$/.test(text)) return 'integer';
  if (/^-?(?:0|[1-9]\d{0,14})\.\d{1,15}$/.test(text)) return 'number';
  if (text === 'true' || text === 'false') return 'boolean';
  for (const format of FORMATS) if (TEXT_FORMATS.get(format)?.(text)) return format;
  // Most texts with a colon are no address of something: only those that lead somewhere are.
  return /^[a-z][a-z0-9+.-]*:\/\//i.test(text) && TEXT_FORMATS.get('uri')?.(text) ? 'uri' : 'text';
}

/** The schema of texts of these kinds, for a parameter, where numbers are texts too. */
export function schemaOfKinds(kinds: ReadonlyMap<TextKind, number>): Readonly<Record<string, unknown>> {
  const found = [...kinds.keys()];
  const only = (...allowed: TextKind[]): boolean => found.length > 0 && found.every((kind) => allowed.includes(kind));
  if (only('integer')) return { type: 'integer' };
  if (only('integer', 'number')) return { type: 'number' };
  if (only('boolean')) return { type: 'boolean' };
  return formatOfKinds(kinds);
}

/** The schema of texts of these kinds where they stay texts, as in JSON. */
export function formatOfKinds(kinds: ReadonlyMap<TextKind, number>): Readonly<Record<string, unknown>> {
  const [kind, other] = kinds.keys();
  const plain = kind === undefined || other !== undefined || kind === 'text' || kind === 'integer' || kind === 'number' || kind === 'boolean';
  return plain ? { type: 'string' } : { type: 'string', format: kind };
}

/** Names that stand for a thing among others of its kind: numbers, UUIDs, dates, codes with several digits, random texts. */
export function isIdentifier(segment: string): boolean {
  if (segment.length > 60) return true;
  const kind = textKind(segment);
  if (kind !== 'text' && kind !== 'boolean') return true;
  // What a redactor put in place of a secret begins with <.
  if (/[%@{<]/.test(segment)) return true;
  const digits = segment.replace(/\D/g, '').length;
  if (digits === 0) return isRandom(segment);
  // A word with one or two digits is a version or a name (v1, s3, oauth2); behind a dash they count things.
  return digits >= 4 || /^[A-Za-z]+[-_.]\d{2,}$/.test(segment) || (segment.length >= 8 && digits * 4 >= segment.length);
}

/** Long, with letters of both cases in turn, or of hexadecimal alone: no word is so. */
function isRandom(segment: string): boolean {
  if (segment.length >= 8 && /^[0-9a-f]+$/i.test(segment)) return /[0-9]/.test(segment) || segment.length >= 16;
  return segment.length >= 20 && /[a-z][A-Z][a-z]*[A-Z]|[A-Z]{2}[a-z]+[A-Z]{2}/.test(segment);
}
