import { isRecord, pointerToken } from '../util/json-pointer.js';
import { dialectNamed, type Dialect } from './dialect.js';
import { alternatives, conditional, everyOne, inverse, tagged } from './combining.js';
import { ALLOWED, allOf, closed, collecting, entered, inTurn, refusal } from './composed-checks.js';
import { listCheck } from './lists.js';
import { objectCheck } from './objects.js';
import { PlaceMap } from './place-map.js';
import type { Check, Direction } from './run.js';
import type { SchemaPlace, SchemaSet } from './schema-set.js';
import { valueChecks } from './values.js';

/** What is asked beyond the words of the schemas. */
export interface SchemaChoices {
  /** `closed` allows in objects and lists only what a schema names, also where the schemas leave it open. */
  readonly unknown: 'as-said' | 'closed';
  readonly formats: boolean;
  /** Whether a request may send what only answers carry. */
  readonly readOnlySent: boolean;
}

export type Json = Readonly<Record<string, unknown>>;

/** What is wrong with a schema itself. Values there are refused: what cannot be read is not taken for nothing asked. */
export interface SchemaFault {
  readonly rule: string;
  readonly says: string;
}

/**
 * What the compiling of one keyword works with. Checks that are kept hold on to no part of the schema that is an object: what was read
 * of a large contract is gone again once it is compiled.
 */
export interface Keywords {
  readonly schema: Json;
  /** Pointer of the schema. */
  readonly at: string;
  readonly dialect: Dialect;
  readonly direction: Direction;
  readonly choices: SchemaChoices;
  /** A schema below this one that describes the same value. */
  inPlace(...path: (string | number)[]): Check;
  /** A schema below this one that describes a member or an item. */
  below(...path: (string | number)[]): Check;
  /** The schema of a member, as it is read. */
  memberSchema(name: string): unknown;
  /** What is done where all is wanted at once, and else when a value comes. */
  later(make: () => void): void;
  /** The schema that a reference leads to; null where it leads nowhere. */
  follow(reference: string): { readonly schema: unknown; readonly check: Check } | null;
  fault(keyword: string, says: string): Check;
}

function ofDialect(known: Map<string, PlaceMap<Check>>, { name }: Dialect): PlaceMap<Check> {
  let own = known.get(name);
  if (!own) known.set(name, (own = new PlaceMap<Check>()));
  return own;
}

/** Compiles schemas of one set, each once and only when a value comes to it. */
export class SchemaCompiler {
  readonly faults: SchemaFault[] = [];
  readonly #set: SchemaSet;
  readonly #dialect: Dialect;
  readonly #direction: Direction;
  readonly #choices: SchemaChoices;
  /** Checks by where their schemas stand, of each dialect; and those that make themselves when a value comes. */
  readonly #made = new Map<string, PlaceMap<Check>>();
  readonly #makingThemselves = new Map<string, PlaceMap<Check>>();
  /** Those of them to which no value came yet. */
  #late = new Set<{ readonly place: SchemaPlace; readonly dialect: Dialect }>();
  /** What makes the members of objects that are made when a value comes to them. */
  #members: (() => void)[] = [];

  constructor(set: SchemaSet, dialect: Dialect, direction: Direction, choices: SchemaChoices) {
    this.#set = set;
    this.#dialect = dialect;
    this.#direction = direction;
    this.#choices = choices;
  }

  /** The check of a whole value: a body, a parameter, a member or an item. */
  value(place: SchemaPlace, dialect: Dialect = this.#dialect): Check {
    const check = this.inPlace(place, dialect);
    if (this.#choices.unknown === 'as-said' || !this.#describesMembers(place, new Set())) return check;
    return closed(check, place.pointer);
  }

  /** The check of a schema that may be one of several on the same value. */
  inPlace(place: SchemaPlace, dialect: Dialect = this.#dialect): Check {
    const known = ofDialect(this.#made, dialect);
    let made = known.get(place);
    if (!made) known.set(place, (made = this.#compile(place, dialect)));
    return made;
  }

  /** The same, made when the first value comes: schemas may lead back to themselves, and most of a description is seldom used. */
  #later(place: SchemaPlace, dialect: Dialect): Check {
    const known = ofDialect(this.#makingThemselves, dialect);
    const made = known.get(place);
    if (made) return made;
    const waiting = { place, dialect };
    this.#late.add(waiting);
    let ready: Check | null = null;
    const late: Check = (value, run) => {
      run.enter();
      if (ready === null) {
        this.#late.delete(waiting);
        ready = this.inPlace(place, dialect);
      }
      const ok = ready(value, run);
      run.leave();
      return ok;
    };
    known.set(place, late);
    return late;
  }

  /** Compiles all that was met so far and what that leads to, so that `faults` has every one. */
  everything(): void {
    while (this.#late.size > 0 || this.#members.length > 0) {
      const [late, members] = [this.#late, this.#members];
      this.#late = new Set();
      this.#members = [];
      for (const { place, dialect } of late) this.inPlace(place, dialect);
      for (const make of members) make();
    }
  }

  #compile(place: SchemaPlace, from: Dialect): Check {
    const schema = this.#set.valueOf(place);
    if (schema === true) return ALLOWED;
    if (schema === false) return refusal(place.pointer, 'false', 'nothing');
    if (!isRecord(schema)) return this.#fault(place.pointer, '', schema === undefined ? 'there is no schema' : 'a schema is an object');
    const said = schema['$schema'];
    const named = said === undefined ? from : typeof said === 'string' ? dialectNamed(said) : null;
    if (named === null) return this.#fault(place.pointer, '$schema', `the dialect ${String(said).slice(0, 100)} is not read`);
    const checks = this.#checksOf(schema, place, named);
    const looksBack = named.modern && (schema['unevaluatedProperties'] !== undefined || schema['unevaluatedItems'] !== undefined);
    const entersResource = named.modern && typeof schema['$id'] === 'string';
    // What is left over cannot be told where a schema in place has failed.
    const all = looksBack ? inTurn(allOf(checks.slice(0, -1)), checks.slice(-1)[0] ?? ALLOWED) : allOf(checks);
    const whole = this.#set.hasDynamicAnchors && (entersResource || place.pointer === '') ? entered(all, this.#set.baseOf(place)) : all;
    return looksBack ? collecting(whole) : whole;
  }

  #checksOf(schema: Json, place: SchemaPlace, dialect: Dialect): readonly Check[] {
    const below = (path: readonly (string | number)[]): SchemaPlace => ({
      document: place.document,
      pointer: place.pointer + path.map((part) => `/${pointerToken(part)}`).join(''),
    });
    const keywords: Keywords = {
      schema,
      at: place.pointer,
      dialect,
      direction: this.#direction,
      choices: this.#choices,
      inPlace: (...path) => this.inPlace(below(path), dialect),
      below: (...path) => this.value(below(path), dialect),
      memberSchema: (name) => this.#set.valueOf(below(['properties', name])),
      later: (make) => void this.#members.push(make),
      follow: (reference) => {
        const found = this.#set.resolve(reference, place);
        return found.kind === 'place' ? { schema: this.#set.valueOf(found.place), check: this.#follow(found.place, dialect) } : null;
      },
      fault: (keyword, says) => this.#fault(place.pointer, keyword, says),
    };
    const reference = this.#referred('$ref', schema['$ref'], place, dialect);
    if (reference !== null && !dialect.modern) return [reference];
    const dynamic = dialect.modern ? this.#referred('$dynamicRef', schema['$dynamicRef'], place, dialect) : null;
    const present = (...checks: (Check | null)[]): Check[] => checks.filter((check) => check !== null);
    // What costs little comes first, and what looks at all that is left over last.
    return [
      ...valueChecks(keywords),
      ...present(reference, dynamic),
      ...present(everyOne(keywords), tagged(keywords) ?? alternatives(keywords, 'oneOf'), alternatives(keywords, 'anyOf')),
      ...present(inverse(keywords), conditional(keywords)),
      allOf(present(objectCheck(keywords), listCheck(keywords))),
    ].filter((check) => check !== ALLOWED);
  }

  /** What a reference comes to; null where there is none. */
  #referred(keyword: '$ref' | '$dynamicRef', said: unknown, place: SchemaPlace, dialect: Dialect): Check | null {
    if (said === undefined) return null;
    if (typeof said !== 'string') return this.#fault(place.pointer, keyword, 'it is a reference');
    return keyword === '$ref' ? this.#reference(said, place, dialect) : this.#dynamicReference(said, place, dialect);
  }

  #reference(reference: string, place: SchemaPlace, dialect: Dialect): Check {
    const found = this.#set.resolve(reference, place);
    if (found.kind === 'outside')
      return this.#fault(place.pointer, '$ref', `refers to ${reference.slice(0, 120)}, outside this document; such references are not followed`);
    if (found.kind === 'place') return this.#follow(found.place, dialect);
    return this.#fault(place.pointer, '$ref', `refers to ${reference.slice(0, 120)}, which is not there`);
  }

  /** A schema elsewhere, with the root that it stands below as the innermost one. */
  #follow(place: SchemaPlace, dialect: Dialect): Check {
    const check = this.#later(place, dialect);
    const base = this.#set.baseOf(place);
    // Only dynamic references ask from where they were reached.
    if (!this.#set.hasDynamicAnchors) return check;
    return (value, run) => {
      run.scope.push(base);
      const ok = check(value, run);
      run.scope.pop();
      return ok;
    };
  }

  /** JSON Schema Core 2020-12 section 8.2.3.2: the outermost root that has the same dynamic anchor counts. */
  #dynamicReference(reference: string, place: SchemaPlace, dialect: Dialect): Check {
    const found = this.#set.resolve(reference, place);
    if (found.kind !== 'place' || found.dynamicAnchor === null) return this.#reference(reference, place, dialect);
    const anchor = found.dynamicAnchor;
    const near = this.#follow(found.place, dialect);
    const own = this.#set.baseOf(place);
    return (value, run) => {
      for (const base of [...run.scope, own]) {
        const outer = this.#set.dynamicAnchor(base, anchor);
        if (outer) return this.#follow(outer, dialect)(value, run);
      }
      return near(value, run);
    };
  }

  #fault(at: string, keyword: string, says: string): Check {
    const rule = keyword === '' ? at : `${at}/${keyword}`;
    if (!this.faults.some((fault) => fault.rule === rule)) this.faults.push({ rule, says });
    return (_value, run) => {
      run.unread++;
      run.report(rule, keyword, `a rule that can be read: ${says}`, 'a schema that cannot be used');
      return false;
    };
  }

  /** Whether a schema, with those that describe the same value, says which members or items there are. */
  #describesMembers(place: SchemaPlace, seen: Set<string>): boolean {
    const key = `${place.document}#${place.pointer}`;
    if (seen.has(key)) return false;
    seen.add(key);
    const schema = this.#set.valueOf(place);
    if (!isRecord(schema)) return false;
    if (typeof schema['$ref'] === 'string') {
      const found = this.#set.resolve(schema['$ref'], place);
      if (found.kind === 'place' && this.#describesMembers(found.place, seen)) return true;
    }
    if (isRecord(schema['properties']) || Array.isArray(schema['prefixItems'])) return true;
    return ['allOf', 'anyOf', 'oneOf'].some((member) => {
      const list = schema[member];
      return Array.isArray(list) && list.some((_, index) => this.#describesMembers({ ...place, pointer: `${place.pointer}/${member}/${index}` }, seen));
    });
  }
}
