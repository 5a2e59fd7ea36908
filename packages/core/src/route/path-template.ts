import { ConfigError } from '../util/config-error.js';

/** One segment of a path template: fixed, a whole parameter, or parameters with fixed text between them. */
export type TemplateSegment =
  | { readonly kind: 'fixed'; readonly text: string }
  | { readonly kind: 'parameter'; readonly names: readonly string[]; readonly around: readonly string[] | null };

const PARAMETER = /\{([^{}]+)\}/g;
const BRACE = /[{}]/;
/** Characters that are the same in every spelling of a path. */
const PLAIN_TEXT = /^[A-Za-z0-9_~!$&'()*+,=:@.-]*$/;
const MAX_PARAMETERS_IN_SEGMENT = 4;
const NO_NAMES: readonly string[] = Object.freeze([]);

/** Names of the parameters of one segment of a template. */
export const namesIn = (text: string): readonly string[] => (text.includes('{') ? [...text.matchAll(PARAMETER)].map((match) => match[1] ?? '') : NO_NAMES);

/** Names of the parameters of a template, in order. */
export function parameterNames(template: readonly TemplateSegment[]): readonly string[] {
  let names = NO_NAMES;
  for (const segment of template) if (segment.kind === 'parameter') names = names.length === 0 ? segment.names : [...names, ...segment.names];
  return names;
}

/**
 * Reads a path template (OpenAPI 3.1.2 section 4.8.8.2). Fixed text is brought into the same normal form as request paths.
 * @param known segments that were read before, by their text: templates of one release have many in common
 * @throws ConfigError at `pointer` for an unbalanced brace, a missing slash, or a parameter named twice
 */
export function readTemplate(template: string, pointer: string, known: Map<string, TemplateSegment> = new Map()): TemplateSegment[] {
  if (!template.startsWith('/')) throw new ConfigError(pointer, `the path ${template} does not begin with a slash`);
  const segments = template
    .slice(1)
    .split('/')
    .map((text) => {
      let segment = known.get(text);
      if (segment === undefined) known.set(text, (segment = readSegment(text, template, pointer)));
      return segment;
    });
  const names = parameterNames(segments);
  if (names.length > 1 && new Set(names).size < names.length) throw new ConfigError(pointer, `the path ${template} names a parameter twice`);
  return segments;
}

function readSegment(segment: string, template: string, pointer: string): TemplateSegment {
  if (!BRACE.test(segment)) return { kind: 'fixed', text: normaliseFixed(segment) };
  const names = namesIn(segment);
  const fixed = segment.split(PARAMETER).filter((_, index) => index % 2 === 0);
  if (fixed.some((text) => /[{}]/.test(text))) throw new ConfigError(pointer, `the path ${template} has an unbalanced brace`);
  if (names.length === 0) return { kind: 'fixed', text: normaliseFixed(segment) };
  if (names.length > MAX_PARAMETERS_IN_SEGMENT)
    throw new ConfigError(pointer, `the path ${template} has more than ${MAX_PARAMETERS_IN_SEGMENT} parameters in one segment`);
  if (fixed.slice(1, -1).includes('')) throw new ConfigError(pointer, `the path ${template} has two parameters with nothing between them`);
  if (fixed.every((text) => text === '')) {
    return { kind: 'parameter', names, around: null };
  }
  return { kind: 'parameter', names, around: fixed.map(normaliseFixed) };
}

/**
 * The values of the parameters of a segment whose fixed text stands around them, or null when it does not fit. Each
 * value ends at the first place where the next text begins, which finds a fit whenever there is one, in one pass.
 */
export function matchAround(around: readonly string[], segment: string): string[] | null {
  const first = around[0] ?? '';
  const last = around[around.length - 1] ?? '';
  const end = segment.length - last.length;
  if (!segment.startsWith(first) || !segment.endsWith(last)) return null;
  const values: string[] = [];
  let at = first.length;
  for (let index = 1; index < around.length; index++) {
    const text = around[index] ?? '';
    const next = index === around.length - 1 ? end : segment.indexOf(text, at + 1);
    if (next <= at || next > end) return null;
    values.push(segment.slice(at, next));
    at = next + text.length;
  }
  return values;
}

/** Encodes what a URL parser would encode and resolves escapes of unreserved characters. */
export function normaliseFixed(text: string): string {
  if (PLAIN_TEXT.test(text)) return text;
  const encoded = text.replace(/%[0-9A-Fa-f]{2}|[^A-Za-z0-9_~!$&'()*+,=:@.;-]/g, (part) =>
    part.length === 3 && part.startsWith('%') ? part.toUpperCase() : encodeURIComponent(part),
  );
  return encoded.replace(/%([0-9A-F]{2})/g, (escape, hex: string) => {
    const character = String.fromCharCode(parseInt(hex, 16));
    return /^[A-Za-z0-9_~.-]$/.test(character) ? character : escape;
  });
}

/** How much fixed text stands around the parameters of a segment; 0 for a plain parameter. */
export const literalLength = (around: readonly string[] | null): number => around?.reduce((sum, text) => sum + text.length, 0) ?? 0;

/** Whether a path matches a template to the letter. */
export function matchesTemplate(template: readonly TemplateSegment[], path: readonly string[]): boolean {
  return template.length === path.length && template.every((segment, index) => matchesSegment(segment, path[index] ?? ''));
}

function matchesSegment(segment: TemplateSegment, text: string): boolean {
  if (segment.kind === 'fixed') return segment.text === text;
  return text !== '' && (segment.around === null || matchAround(segment.around, text) !== null);
}

/**
 * Whether a template is at least as specific as another in every segment, so that every reader that puts concrete paths
 * first (OpenAPI 3.1.2 section 4.8.8) prefers it where both match. True also for equal ones.
 */
export function isMoreSpecific(template: readonly TemplateSegment[], other: readonly TemplateSegment[]): boolean {
  return template.length === other.length && template.every((segment, index) => isWithin(segment, other[index] as TemplateSegment));
}

function isWithin(segment: TemplateSegment, other: TemplateSegment): boolean {
  if (other.kind === 'fixed') return segment.kind === 'fixed' && segment.text === other.text;
  if (segment.kind === 'fixed') return matchesSegment(other, segment.text);
  if (other.around === null) return true;
  return segment.around !== null && matchAround(other.around, segment.around.join('x')) !== null;
}
