import { isRecord } from '../util/json-pointer.js';
import type { Keywords } from './compile-schema.js';
import { NUMBER_FORMATS, TEXT_FORMATS } from './formats.js';
import { readPattern } from './pattern.js';
import { kindOf, type Check } from './run.js';
import { isMultiple, lengthOf, sameValue } from './same-value.js';

const TYPES: Readonly<Record<string, (value: unknown) => boolean>> = {
  null: (value) => value === null,
  boolean: (value) => typeof value === 'boolean',
  string: (value) => typeof value === 'string',
  number: (value) => typeof value === 'number',
  integer: (value) => typeof value === 'number' && Number.isInteger(value),
  object: isRecord,
  array: Array.isArray,
};

/** Checks of a value by itself: type, `enum`, `const`, and what is asked of numbers and texts. */
export function valueChecks(keywords: Keywords): readonly Check[] {
  return [typeCheck, enumCheck, constCheck, numberCheck, textCheck, annotationFaults].flatMap((make) => make(keywords) ?? []);
}

/** What is said of a value beside what it may be, where it cannot be read: a text is no `readOnly`. */
function annotationFaults({ schema, dialect, fault }: Keywords): Check[] {
  const flags = dialect.openApi ? ['readOnly', 'writeOnly'].filter((flag) => schema[flag] !== undefined && typeof schema[flag] !== 'boolean') : [];
  const format = schema['format'] !== undefined && typeof schema['format'] !== 'string';
  return [...flags.map((flag) => fault(flag, 'it is true or false')), ...(format ? [fault('format', 'it is a name')] : [])];
}

const number = (value: unknown): number | null => (typeof value === 'number' ? value : null);

/** A check that tells what it wanted where the value is not as it should be. */
const check =
  (at: string, keyword: string, wanted: string, allows: (value: unknown) => boolean): Check =>
  (value, run) => {
    if (allows(value)) return true;
    run.report(`${at}/${keyword}`, keyword, wanted, kindOf(value));
    return false;
  };

/** The same of numbers alone; other values are other keywords' business. */
const numbers =
  (at: string, keyword: string, wanted: string, allows: (value: number) => boolean): Check =>
  (value, run) => {
    if (typeof value !== 'number' || allows(value)) return true;
    run.report(`${at}/${keyword}`, keyword, wanted, kindOf(value));
    return false;
  };

const texts =
  (at: string, keyword: string, wanted: string, allows: (text: string) => boolean): Check =>
  (value, run) => {
    if (typeof value !== 'string' || allows(value)) return true;
    run.report(`${at}/${keyword}`, keyword, wanted, kindOf(value));
    return false;
  };

function typeCheck({ schema, at, dialect, fault }: Keywords): Check | null {
  const said = schema['type'];
  if (said === undefined) return null;
  const names = Array.isArray(said) ? (said as unknown[]) : [said];
  if (names.length === 0 || names.some((name) => typeof name !== 'string' || !Object.hasOwn(TYPES, name)))
    return fault('type', `there is no type ${names.map(String).join(', ').slice(0, 60)}`);
  // OpenAPI 3.0.4 section 4.7.24.2: only beside a type, and an enumeration has to name null too.
  const all = dialect.name === 'openapi-3.0' && schema['nullable'] === true ? [...names, 'null'] : names;
  const tests = all.map((name) => TYPES[String(name)] as (value: unknown) => boolean);
  const [one] = tests;
  return check(at, 'type', all.join(' or '), tests.length === 1 && one ? one : (value) => tests.some((test) => test(value)));
}

const shown = (value: unknown): string => {
  const text = JSON.stringify(value) ?? '';
  return text.length > 40 ? `${text.slice(0, 39)}…` : text;
};

function enumCheck({ schema, at, fault }: Keywords): Check | null {
  const values = schema['enum'];
  if (values === undefined) return null;
  if (!Array.isArray(values)) return fault('enum', 'an enumeration is a list');
  const plain = new Set<unknown>(values.filter((value) => typeof value !== 'object' || value === null));
  const built = (values as unknown[]).filter((value) => typeof value === 'object' && value !== null);
  const wanted = `one of ${values.slice(0, 8).map(shown).join(', ')}${values.length > 8 ? `, and ${values.length - 8} more` : ''}`;
  return check(at, 'enum', wanted, (value) => plain.has(value) || built.some((one) => sameValue(one, value)));
}

function constCheck({ schema, at, dialect }: Keywords): Check | null {
  if (!dialect.modern || !Object.hasOwn(schema, 'const')) return null;
  const wanted = schema['const'];
  return check(at, 'const', shown(wanted), (value) => sameValue(wanted, value));
}

function numberCheck({ schema, at, dialect, choices, fault }: Keywords): Check[] {
  const checks: Check[] = [];
  // Up to draft 5 these are flags of the bound beside them.
  const isFlag = (keyword: string): boolean => !dialect.modern && keyword.startsWith('exclusive');
  const add = (keyword: string, wanted: string, allows: (value: number) => boolean): void => void checks.push(numbers(at, keyword, wanted, allows));
  for (const keyword of ['minimum', 'maximum', 'exclusiveMinimum', 'exclusiveMaximum', 'multipleOf'])
    if (schema[keyword] !== undefined && (isFlag(keyword) ? typeof schema[keyword] !== 'boolean' : number(schema[keyword]) === null))
      checks.push(fault(keyword, isFlag(keyword) ? 'it is true or false here, for the bound beside it' : 'it is a number'));
  const [least, most] = [number(schema['minimum']), number(schema['maximum'])];
  const above = dialect.modern ? number(schema['exclusiveMinimum']) : schema['exclusiveMinimum'] === true ? least : null;
  const below = dialect.modern ? number(schema['exclusiveMaximum']) : schema['exclusiveMaximum'] === true ? most : null;
  const of = number(schema['multipleOf']);
  if (least !== null) add('minimum', `at least ${least}`, (value) => value >= least);
  if (most !== null) add('maximum', `at most ${most}`, (value) => value <= most);
  if (above !== null) add('exclusiveMinimum', `more than ${above}`, (value) => value > above);
  if (below !== null) add('exclusiveMaximum', `less than ${below}`, (value) => value < below);
  if (of !== null) add('multipleOf', `a multiple of ${of}`, (value) => of > 0 && isMultiple(value, of));
  const format = typeof schema['format'] === 'string' && dialect.openApi && choices.formats ? NUMBER_FORMATS.get(schema['format']) : undefined;
  if (format) add('format', String(schema['format']), format);
  return checks;
}

const count = (value: unknown): number | null => (typeof value === 'number' && value >= 0 && Number.isInteger(value) ? value : null);

function textCheck({ schema, at, choices, fault }: Keywords): Check[] {
  const checks: Check[] = [];
  const add = (keyword: string, wanted: string, allows: (text: string) => boolean): void => void checks.push(texts(at, keyword, wanted, allows));
  for (const keyword of ['minLength', 'maxLength'])
    if (schema[keyword] !== undefined && count(schema[keyword]) === null) checks.push(fault(keyword, 'it is a whole number from 0'));
  const [least, most] = [count(schema['minLength']), count(schema['maxLength'])];
  if (least !== null) add('minLength', `at least ${least} characters`, (text) => text.length >= least && (text.length >= 2 * least || lengthOf(text) >= least));
  if (most !== null) add('maxLength', `at most ${most} characters`, (text) => text.length <= most || (text.length <= 2 * most && lengthOf(text) <= most));
  const pattern = schema['pattern'];
  if (pattern !== undefined) {
    const read = typeof pattern === 'string' ? readPattern(pattern) : { kind: 'unread' as const, why: 'a pattern is a text' };
    if (read.kind === 'unread') checks.push(fault('pattern', read.why));
    else add('pattern', `a text like ${shown(pattern)}`, read.test);
  }
  const format = typeof schema['format'] === 'string' && choices.formats ? TEXT_FORMATS.get(schema['format']) : undefined;
  if (format) add('format', String(schema['format']), format);
  return checks;
}
