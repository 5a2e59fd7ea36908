import { isRecord } from '../util/json-pointer.js';
import type { Keywords } from './compile-schema.js';
import { kindOf, type Check, type Run, type SchemaViolation } from './run.js';

/** Where it hangs on a schema that cannot be read whether a value is allowed, it is not. */
function unread(run: Run, rule: string, keyword: string): false {
  run.report(rule, keyword, 'a rule that can be read', 'a schema that cannot be used');
  return false;
}

/** `allOf`: each of them. */
export function everyOne({ schema, inPlace, fault }: Keywords): Check | null {
  const list = schema['allOf'];
  if (list === undefined) return null;
  if (!Array.isArray(list)) return fault('allOf', 'it is a list of schemas');
  const checks = list.map((_, index) => inPlace('allOf', index));
  return (value, run) => {
    let ok = true;
    for (const one of checks) {
      if (one(value, run)) continue;
      ok = false;
      if (run.sink === null) return false;
    }
    return ok;
  };
}

/** `anyOf` and `oneOf`. Where none allows the value, what the closest of them wants is told. */
export function alternatives({ schema, at, inPlace, fault }: Keywords, keyword: 'anyOf' | 'oneOf'): Check | null {
  const list = schema[keyword];
  if (list === undefined) return null;
  if (!Array.isArray(list)) return fault(keyword, 'it is a list of schemas');
  const checks = list.map((_, index) => inPlace(keyword, index));
  const exactly = keyword === 'oneOf';
  return (value, run) => {
    const before = run.unread;
    let held = 0;
    const told: SchemaViolation[][] = [];
    for (const one of checks) {
      const result = run.attempt(one, value);
      if (result.ok) held++;
      else told.push(result.told);
      // What a second one has looked at counts too, where somebody asks what is left over.
      if (held === 1 && !exactly && run.evaluated === null) return true;
      if (held === 2 && exactly) break;
    }
    if (exactly && held === 1 && run.unread > before) return unread(run, `${at}/oneOf`, 'oneOf');
    if (exactly ? held === 1 : held > 0) return true;
    if (run.sink === null) return false;
    if (held > 1) run.report(`${at}/oneOf`, 'oneOf', 'exactly one of the schemas', 'a value that several of them allow');
    else tellClosest(run, `${at}/${keyword}`, keyword, told, value);
    return false;
  };
}

function tellClosest(run: Run, rule: string, keyword: string, told: readonly SchemaViolation[][], value: unknown): void {
  const here = run.pointer;
  const [closest] = [...told.entries()].sort(([, a], [, b]) => distance(a, here) - distance(b, here));
  const which = closest ? `; number ${closest[0] + 1} of ${told.length} comes closest` : '';
  run.report(rule, keyword, `${keyword === 'oneOf' ? 'one' : 'at least one'} of the schemas${which}`, kindOf(value));
  for (const violation of closest?.[1] ?? []) if (run.sink !== null && run.sink.length < 20) run.sink.push(violation);
}

/** How far a value is from a schema: one of another kind is far, one that differs in a word that tells kinds apart less so. */
function distance(told: readonly SchemaViolation[], here: string): number {
  return told.reduce((sum, { at, keyword }) => {
    if (at === here && keyword === 'type') return sum + 10_000;
    if ((keyword === 'const' || keyword === 'enum') && at.slice(here.length).split('/').length === 2) return sum + 100;
    return sum + (keyword === 'required' ? 3 : 2);
  }, 0);
}

const isTexts = (value: unknown): value is Readonly<Record<string, string>> => isRecord(value) && Object.values(value).every((one) => typeof one === 'string');

/** `oneOf` with a `discriminator` (OpenAPI 3.1.2 section 4.8.25): the member says which of them counts. Null where it does not apply. */
export function tagged(keywords: Keywords): Check | null {
  const { schema, at, dialect, fault } = keywords;
  const said = schema['discriminator'];
  if (!dialect.openApi || said === undefined || !Array.isArray(schema['oneOf'])) return null;
  if (!isRecord(said) || typeof said['propertyName'] !== 'string') return fault('discriminator', 'it is an object with the name of a member');
  const name = said['propertyName'];
  const mapped = said['mapping'] ?? {};
  if (!isTexts(mapped)) return fault('discriminator/mapping', 'it holds names of schemas by value');
  const branches = new Map<string, Check>();
  const referred = new Map<string, Check>();
  for (const [index, branch] of (schema['oneOf'] as unknown[]).entries()) {
    const reference = isRecord(branch) ? branch['$ref'] : undefined;
    // Without a reference a schema has no name, and no value of the member can mean it.
    if (typeof reference !== 'string') return null;
    const check = keywords.inPlace('oneOf', index);
    referred.set(reference, check);
    branches.set(reference.slice(reference.lastIndexOf('/') + 1), check);
  }
  for (const [value, target] of Object.entries(mapped)) {
    const check = referred.get(target) ?? branches.get(target) ?? referred.get(`#/components/schemas/${target}`);
    if (check) branches.set(value, check);
  }
  const other = alternatives(keywords, 'oneOf');
  const wanted = `one of ${[...branches.keys()].slice(0, 12).join(', ')}`;
  return (value, run) => {
    if (!isRecord(value)) return other === null || other(value, run);
    const kind = Object.hasOwn(value, name) ? value[name] : undefined;
    const branch = typeof kind === 'string' ? branches.get(kind) : undefined;
    if (branch) return branch(value, run);
    run.report(`${at}/discriminator`, 'discriminator', `“${name}” to be ${wanted}`, kind === undefined ? 'nothing there' : kindOf(kind));
    return false;
  };
}

/** `not`. */
export function inverse({ schema, at, inPlace }: Keywords): Check | null {
  if (schema['not'] === undefined) return null;
  const check = inPlace('not');
  return (value, run) => {
    const before = run.unread;
    if (!run.quietly(check, value)) return run.unread === before || unread(run, `${at}/not`, 'not');
    run.report(`${at}/not`, 'not', 'a value that the schema does not allow', kindOf(value));
    return false;
  };
}

/** `if`, `then` and `else`. */
export function conditional({ schema, at, dialect, inPlace }: Keywords): Check | null {
  if (!dialect.modern || schema['if'] === undefined) return null;
  const condition = inPlace('if');
  const then = schema['then'] === undefined ? null : inPlace('then');
  const otherwise = schema['else'] === undefined ? null : inPlace('else');
  return (value, run) => {
    const before = run.unread;
    const branch = run.attempt(condition, value).ok ? then : otherwise;
    if (run.unread > before) return unread(run, `${at}/if`, 'if');
    return branch === null || branch(value, run);
  };
}
