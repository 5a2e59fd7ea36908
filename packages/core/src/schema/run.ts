import { pointerToken } from '../util/json-pointer.js';

/** Which way a value travels: `readOnly` and `writeOnly` hang on it (OpenAPI 3.1.2 section 4.8.24; JSON Schema Validation section 9.4). */
export type Direction = 'request' | 'answer';

/** Something in a value that a schema does not allow. Says what was found by kind and size, never the value itself. */
export interface SchemaViolation {
  /** JSON Pointer into the value. */
  readonly at: string;
  /** JSON Pointer of the keyword in the document that holds the schema. */
  readonly rule: string;
  readonly keyword: string;
  readonly wanted: string;
  readonly found: string;
  /** The member that is missing or too much, where it is one; a schema of many may name it in full. */
  readonly member: string | null;
}

/** Bounds of one check: references followed, and how many more for each byte; how deep they may call each other; violations that are told. */
export const SCHEMA_BOUNDS = { steps: 20_000, stepsPerByte: 2, depth: 400, violations: 20 } as const;

/** A value costs more to check than is spent on one, or a schema leads back to itself without an end. */
export class TooCostly extends Error {}

/** What in-place schemas have looked at in one object or list, for `unevaluatedProperties` and `unevaluatedItems`. */
export interface Evaluated {
  /** `true` is all of them. */
  names: Set<string> | true;
  items: Set<number> | true;
  /** Items from the first on. */
  upTo: number;
}

export const nothingEvaluated = (): Evaluated => ({ names: new Set(), items: new Set(), upTo: 0 });

/** Takes over what a schema in place has looked at. */
export function mergeEvaluated(into: Evaluated, from: Evaluated): void {
  if (from.names === true) into.names = true;
  else if (into.names !== true) for (const name of from.names) into.names.add(name);
  if (from.items === true) into.items = true;
  else if (into.items !== true) for (const item of from.items) into.items.add(item);
  into.upTo = Math.max(into.upTo, from.upTo);
}

/** A compiled schema: whether it allows a value. Where the run has a sink, all that it does not allow is told there. */
export type Check = (value: unknown, run: Run) => boolean;

/** One value on its way through a schema. */
export class Run {
  /** Where violations go; null while only the verdict is wanted. */
  sink: SchemaViolation[] | null;
  /** What is collected for keywords about what is left over; null while nobody asks. */
  evaluated: Evaluated | null = null;
  /** Roots of the schemas that were entered, for `$dynamicRef`. */
  readonly scope: string[] = [];
  /** How often it came to a schema that cannot be read: what fails there has not said no. */
  unread = 0;
  /** References that may still be followed. */
  #left: number;
  #depth = 0;
  readonly #path: (string | number)[] = [];

  /** @param bytes how large the value was as it came */
  constructor(explain: boolean, bytes = 0) {
    this.sink = explain ? [] : null;
    this.#left = SCHEMA_BOUNDS.steps + SCHEMA_BOUNDS.stepsPerByte * bytes;
  }

  enter(): void {
    if (--this.#left < 0 || ++this.#depth > SCHEMA_BOUNDS.depth) throw new TooCostly('the value is too costly to check');
  }

  leave(): void {
    this.#depth--;
  }

  /** Writes down a violation of the value that the run is at. */
  report(rule: string, keyword: string, wanted: string, found: string, member: string | null = null): void {
    if (this.sink !== null && this.sink.length < SCHEMA_BOUNDS.violations) this.sink.push({ at: this.pointer, rule, keyword, wanted, found, member });
  }

  get pointer(): string {
    return this.#path.map((part) => `/${pointerToken(part)}`).join('');
  }

  get depthOfValue(): number {
    return this.#path.length;
  }

  /** Checks a member or an item of the value. */
  inside(check: Check, value: unknown, key: string | number): boolean {
    const before = this.evaluated;
    if (before === null && this.sink === null) return check(value, this);
    this.evaluated = null;
    if (this.sink !== null) this.#path.push(key);
    const ok = check(value, this);
    if (this.sink !== null) this.#path.pop();
    this.evaluated = before;
    return ok;
  }

  /** Checks the same value by a schema that may fail without the whole failing; what it told is handed back. */
  attempt(check: Check, value: unknown): { readonly ok: boolean; readonly told: SchemaViolation[] } {
    const { sink, evaluated } = this;
    if (sink !== null) this.sink = [];
    if (evaluated !== null) this.evaluated = nothingEvaluated();
    const ok = check(value, this);
    const told = this.sink ?? [];
    const seen = this.evaluated;
    this.sink = sink;
    this.evaluated = evaluated;
    if (ok && evaluated !== null && seen !== null) mergeEvaluated(evaluated, seen);
    return { ok, told };
  }

  /** Checks the same value for its verdict alone: nothing is told, nothing counts as looked at. */
  quietly(check: Check, value: unknown): boolean {
    const { sink, evaluated } = this;
    this.sink = null;
    this.evaluated = null;
    const ok = check(value, this);
    this.sink = sink;
    this.evaluated = evaluated;
    return ok;
  }
}

/** A value by its kind and size. */
export function kindOf(value: unknown): string {
  if (value === null) return 'null';
  if (Array.isArray(value)) return `a list of ${value.length}`;
  switch (typeof value) {
    case 'string':
      return value === '' ? 'an empty text' : `a text of ${value.length}`;
    case 'number':
      return Number.isInteger(value) ? 'a whole number' : 'a number';
    case 'boolean':
      return 'true or false';
    case 'object':
      return 'an object';
    default:
      return 'nothing';
  }
}
