import { isRecord, pointerToken } from '../util/json-pointer.js';
import type { Keywords } from './compile-schema.js';
import { listedMembers, markedMembers } from './demanded-members.js';
import { NameList, NO_NAMES } from './name-list.js';
import { readPattern } from './pattern.js';
import { kindOf, type Check, type Run } from './run.js';

/** A member that is named. Made when the first object with it comes: of most objects most members seldom do. */
interface Member {
  readonly name: string;
  /** Whether a schema describes it. */
  readonly described: boolean;
  /** Null until its first value comes. */
  check: Check | null;
  readonly required: boolean;
  /** Why it may not be there in this direction; null where it may. */
  readonly barred: 'readOnly' | 'writeOnly' | null;
}

interface Patterned {
  readonly test: (name: string) => boolean;
  readonly check: Check;
}

const ABOUT_MEMBERS = ['properties', 'patternProperties', 'additionalProperties', 'propertyNames', 'required', 'minProperties', 'maxProperties'];
const asksOfMembers = (schema: Keywords['schema']): boolean => ABOUT_MEMBERS.some((keyword) => schema[keyword] !== undefined);

/** All that is asked of objects. Null where nothing is. */
export function objectCheck(keywords: Keywords): Check | null {
  // Most schemas say nothing of objects: of those nothing is kept.
  const plan = asksOfMembers(keywords.schema) ? planOf(keywords) : null;
  const dependent = dependents(keywords);
  const leftOver = keywords.dialect.modern && keywords.schema['unevaluatedProperties'] !== undefined ? keywords.below('unevaluatedProperties') : null;
  if (plan === null && dependent.length === 0 && leftOver === null) return null;
  const own: Check = (value, run) => {
    if (!isRecord(value)) return true;
    let ok = plan === null || plan(value, run);
    for (const check of dependent) {
      if (!ok && run.sink === null) return false;
      ok = check(value, run) && ok;
    }
    return ok;
  };
  return leftOver === null ? own : leavingNothing(keywords, own, leftOver);
}

function planOf({
  schema,
  at,
  dialect,
  direction,
  choices,
  below,
  memberSchema,
  later,
  follow,
  fault,
}: Keywords): ((value: Record<string, unknown>, run: Run) => boolean) | null {
  const { properties, patternProperties, additionalProperties, propertyNames, required, minProperties, maxProperties } = schema;
  const faults: Check[] = [];
  const listed = listedMembers(schema);
  const marked = dialect.openApi ? markedMembers(schema).filter((name) => !listed.includes(name)) : NONE;
  const demanded = marked.length === 0 ? listed : [...listed, ...marked];
  if (
    required !== undefined &&
    !(Array.isArray(required) && required.every((name) => typeof name === 'string')) &&
    !(dialect.openApi && typeof required === 'boolean')
  )
    faults.push(fault('required', 'it is a list of names'));
  if (properties !== undefined && !isRecord(properties)) faults.push(fault('properties', 'it holds schemas by name'));
  // Those that are described come first, then those that are only demanded.
  const described = isRecord(properties) ? Object.keys(properties) : NONE;
  const count = described.length;
  const named = count === 0 && demanded.length === 0 ? NO_NAMES : new NameList([...new Set([...described, ...demanded])]);
  const members: (Member | undefined)[] = [];
  const memberAt = (place: number): Member => {
    const name = named.names[place] as string;
    const isDescribed = place < count;
    const barred = isDescribed && dialect.openApi ? barredIn(direction, memberSchema(name), follow) : null;
    return (members[place] = {
      name,
      described: isDescribed,
      check: null,
      required: demanded.includes(name) && barred === null,
      barred: barred === 'readOnly' && choices.readOnlySent ? null : barred,
    });
  };
  const checkOf = (member: Member): Check => (member.check ??= below('properties', member.name));
  later(() => {
    for (let place = 0; place < count; place++) checkOf(members[place] ?? memberAt(place));
  });
  const needed = demanded.filter((name) => memberAt(named.find(name, 0)).required);
  const wanted = needed.length === demanded.length ? demanded : needed;
  const { patterns, unread } = patternsOf(patternProperties, below);
  for (const why of unread) faults.push(fault('patternProperties', why));
  const additional = additionalProperties === undefined || additionalProperties === true ? null : below('additionalProperties');
  const names = dialect.modern && propertyNames !== undefined ? below('propertyNames') : null;
  const [least, most] = [countOf(minProperties), countOf(maxProperties)];
  for (const [keyword, said] of [
    ['minProperties', minProperties],
    ['maxProperties', maxProperties],
  ] as const)
    if (said !== undefined && countOf(said) === null) faults.push(fault(keyword, 'it is a whole number from 0'));
  const closedHere = additionalProperties === false;
  const looks = named.names.length > 0 || patterns.length > 0 || additionalProperties !== undefined || names !== null || least !== null || most !== null;
  if (!looks && faults.length === 0) return null;
  const first = faults[0];
  if (first) return first;
  const keepsAll = additionalProperties !== undefined;

  const tellMissing = (value: Record<string, unknown>, run: Run): void => {
    for (const name of wanted)
      if (!Object.hasOwn(value, name)) {
        const rule = marked.includes(name) ? `${at}/properties/${pointerToken(name)}/required` : `${at}/required`;
        run.report(rule, 'required', `a member “${name.slice(0, 60)}”`, 'an object without it', name);
      }
  };

  return (value, run) => {
    const explain = run.sink !== null;
    const { evaluated } = run;
    const direct = !explain && evaluated === null;
    let ok = true;
    let found = 0;
    let size = 0;
    let next = 0;
    // `for in` over what JSON made finds own members only, and is the quickest way through them.
    for (const name in value) {
      const place = named.find(name, next);
      const member = place < 0 ? undefined : (members[place] ?? memberAt(place));
      if (place >= 0) next = place + 1;
      size++;
      let known = false;
      if (member !== undefined) {
        if (member.required) found++;
        if (member.barred !== null) {
          run.report(`${at}/properties/${name}`, member.barred, `no member “${name.slice(0, 60)}”: it is ${member.barred}`, 'an object with it', name);
          ok = false;
        } else if (member.described) {
          known = true;
          const check = member.check ?? checkOf(member);
          if (!(direct ? check(value[name], run) : run.inside(check, value[name], name))) ok = false;
        }
      }
      for (let index = 0; index < patterns.length; index++) {
        const pattern = patterns[index] as Patterned;
        if (!pattern.test(name)) continue;
        known = true;
        if (!run.inside(pattern.check, value[name], name)) ok = false;
      }
      if (!known && !(member?.described ?? false)) {
        if (closedHere) {
          run.report(`${at}/additionalProperties`, 'additionalProperties', `no member “${name.slice(0, 60)}”`, 'an object with it', name);
          ok = false;
        } else if (additional !== null) {
          known = true;
          if (!run.inside(additional, value[name], name)) ok = false;
        }
      }
      if (names !== null && !run.inside(names, name, name)) ok = false;
      if (!ok && !explain) return false;
      if (evaluated !== null && evaluated.names !== true && (known || keepsAll)) evaluated.names.add(name);
    }
    if (found < wanted.length) {
      if (!explain) return false;
      ok = false;
      tellMissing(value, run);
    }
    if (least !== null && size < least) {
      run.report(`${at}/minProperties`, 'minProperties', `at least ${least} members`, `an object with ${size}`);
      ok = false;
    }
    if (most !== null && size > most) {
      run.report(`${at}/maxProperties`, 'maxProperties', `at most ${most} members`, `an object with ${size}`);
      ok = false;
    }
    return ok;
  };
}

const NONE: readonly string[] = [];
const NO_PATTERNS: PatternedMembers = { patterns: [], unread: [] };

interface PatternedMembers {
  readonly patterns: readonly Patterned[];
  /** Why others cannot be used. */
  readonly unread: readonly string[];
}

function patternsOf(said: unknown, below: Keywords['below']): PatternedMembers {
  if (!isRecord(said)) return NO_PATTERNS;
  const patterns: Patterned[] = [];
  const unread: string[] = [];
  for (const source of Object.keys(said)) {
    const read = readPattern(source);
    if (read.kind === 'unread') unread.push(read.why);
    else patterns.push({ test: read.test, check: below('patternProperties', source) });
  }
  return { patterns, unread };
}

const countOf = (value: unknown): number | null => (typeof value === 'number' && value >= 0 && Number.isInteger(value) ? value : null);

/** Whether a member is for the other direction alone, as its schema says, here or behind a reference. */
function barredIn(direction: 'request' | 'answer', said: unknown, follow: Keywords['follow']): Member['barred'] {
  const word = direction === 'request' ? 'readOnly' : 'writeOnly';
  let schema = said;
  for (let turn = 0; turn < 20 && isRecord(schema); turn++) {
    if (schema[word] === true) return word;
    if (typeof schema['$ref'] !== 'string') return null;
    schema = follow(schema['$ref'])?.schema;
  }
  return null;
}

/** `dependentRequired`, `dependentSchemas`, and `dependencies` of earlier drafts. */
function dependents(keywords: Keywords): readonly Check[] {
  return DEPENDENT.some((keyword) => keywords.schema[keyword] !== undefined) ? dependentChecks(keywords) : NO_CHECKS;
}

const DEPENDENT = ['dependentRequired', 'dependentSchemas', 'dependencies'] as const;
const NO_CHECKS: readonly Check[] = [];

function dependentChecks({ schema, at, dialect, inPlace, fault }: Keywords): Check[] {
  const checks: Check[] = [];
  const names = (keyword: string, name: string, list: readonly string[]): void =>
    void checks.push((value, run) => {
      if (!isRecord(value) || !Object.hasOwn(value, name)) return true;
      const missing = list.filter((one) => !Object.hasOwn(value, one));
      for (const one of missing)
        run.report(`${at}/${keyword}`, keyword, `a member “${one.slice(0, 60)}” beside “${name.slice(0, 60)}”`, 'an object without it');
      return missing.length === 0;
    });
  const schemas = (keyword: string, name: string): void => {
    const check = inPlace(keyword, name);
    checks.push((value, run) => !isRecord(value) || !Object.hasOwn(value, name) || check(value, run));
  };
  for (const keyword of DEPENDENT) {
    const said = schema[keyword];
    if (said === undefined || (keyword === 'dependencies' ? dialect.name === 'openapi-3.0' : !dialect.modern)) continue;
    if (!isRecord(said)) checks.push(fault(keyword, 'it is an object'));
    else
      for (const [name, asks] of Object.entries(said)) {
        if (keyword !== 'dependentSchemas' && Array.isArray(asks) && asks.every((one) => typeof one === 'string')) names(keyword, name, asks);
        else if (keyword === 'dependentRequired' || Array.isArray(asks)) checks.push(fault(`${keyword}/${pointerToken(name)}`, 'it is a list of names'));
        else schemas(keyword, name);
      }
  }
  return checks;
}

/** `unevaluatedProperties`: members that none of the schemas of this value has looked at. */
function leavingNothing({ at, schema }: Keywords, own: Check, check: Check): Check {
  const none = schema['unevaluatedProperties'] === false;
  return (value, run) => {
    let ok = own(value, run);
    if (!isRecord(value) || (!ok && run.sink === null)) return ok;
    const { evaluated } = run;
    for (const name of Object.keys(value)) {
      if (evaluated === null || evaluated.names === true || evaluated.names.has(name)) continue;
      if (none) run.report(`${at}/unevaluatedProperties`, 'unevaluatedProperties', `no member “${name.slice(0, 60)}”`, kindOf(value), name);
      if (none || !run.inside(check, value[name], name)) ok = false;
      if (!ok && run.sink === null) return false;
    }
    if (evaluated !== null) evaluated.names = true;
    return ok;
  };
}
