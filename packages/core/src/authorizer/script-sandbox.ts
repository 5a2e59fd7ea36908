import type { QuickJSContext, QuickJSHandle, QuickJSRuntime, QuickJSWASMModule } from 'quickjs-emscripten-core';
import type { Hidden } from './cache-key.js';
import type { TableRows } from '../directory/table-fact.js';
import { AUTHORIZER_BOUNDS, type ScriptSource } from '../document/authorizer-rule.js';
import { isRecord } from '../util/json-pointer.js';

/** What one call of a script came to. `answer` is JSON text of whatever it returned. */
export type ScriptRun =
  | { readonly kind: 'answer'; readonly text: string }
  | { readonly kind: 'time' }
  | { readonly kind: 'memory' }
  /** It threw, or cannot begin: with the place in its source, from 1, or 0 where that is not known. */
  | { readonly kind: 'fault'; readonly says: string; readonly line: number; readonly column: number };

/** Makes an interpreter that nothing else uses, in the memory that it is given. */
export type LoadInterpreter = (memory: WebAssembly.Memory) => Promise<QuickJSWASMModule>;

/** What a script is called with: JSON text of its input, and rows of the tables that it reads. */
export interface ScriptCall {
  readonly input: string;
  /** What it is not shown: to read it is an error. */
  readonly hidden: Hidden | null;
  readonly tables: ReadonlyMap<string, TableRows>;
}

/** What the time of a script is measured by, milliseconds with fractions. */
export interface ScriptClock {
  readonly passed: () => number;
  /** How long a processor ran this thread; null where nobody tells. */
  readonly worked: () => number | null;
}

/** How many times as long as it may work a call may take, where others use the processors. */
export const SCRIPT_SLOWEST = 10;

const MEGABYTE = 1024 * 1024;
const PAGE = 4096;
const WASM_PAGE = 64 * 1024;
/** What the interpreter is built to begin with, and what of that is its own: static data, its stack, and what it needs beside a script. */
const FIRST_PAGES = 256;
const OWN_PAGES = 112;
/** What the interpreter may put on its stack: deeper recursion is an error that the script gets. */
const STACK_BYTES = 256 * 1024;
/** What a script may hold before its first call: all of this is put back after each. */
const BEGINNING_BYTES = 2 * MEGABYTE;
/** How long reading a script may take, milliseconds. */
const BEGINNING_MS = 200;
const FILE = 'authorizer.js';

/**
 * What every script finds beside the language: `timeOf(text)`, the milliseconds since the epoch of a time (RFC 3339). There is no clock
 * and no chance: an answer depends on the input alone. Tables are
 * looked up row by row; to ask for one that is not there is an error, so that a missing table never counts as an empty one.
 */
const PRELUDE = `(() => {
  const { parse, stringify } = JSON;
  const RealProxy = Proxy, NamedError = TypeError, freeze = Object.freeze;
  const readTime = Date.parse, notTime = isNaN, zone = /(?:Z|[+-]\\d\\d:\\d\\d)$/, tested = RegExp.prototype.test;
  globalThis.timeOf = (text) => {
    const ms = typeof text === 'string' && tested.call(zone, text) ? readTime(text) : NaN;
    if (notTime(ms)) throw new NamedError('timeOf takes a time such as 2026-05-01T06:00:00Z');
    return ms;
  };
  const row = globalThis.__row, tables = globalThis.__tables;
  for (const name of ['__row', '__tables', 'SharedArrayBuffer', 'Atomics', 'WeakRef', 'FinalizationRegistry', 'Promise', 'performance', 'console', 'Date'])
    delete globalThis[name];
  delete Math.random;
  const readOnly = { set() { throw new NamedError('tables are read only') }, defineProperty() { throw new NamedError('tables are read only') }, deleteProperty() { throw new NamedError('tables are read only') } };
  const found = (table, key) => { const text = row(table, key); return text === undefined ? undefined : freeze(parse(text)); };
  const rowsOf = (table) => new RealProxy({}, { ...readOnly,
    get: (_, key) => (typeof key === 'string' ? found(table, key) : undefined),
    has: (_, key) => typeof key === 'string' && row(table, key) !== undefined,
    ownKeys() { throw new NamedError('rows are looked up by their key: resource.' + table + '[key]') } });
  const known = new Map(parse(tables()).map((name) => [name, rowsOf(name)]));
  const resource = new RealProxy({}, { ...readOnly,
    get: (_, name) => { if (known.has(name)) return known.get(name); throw new NamedError('resource.' + String(name) + ' is none of the tables that this authorizer reads') },
    has: (_, name) => known.has(name),
    ownKeys: () => { throw new NamedError('tables are read by their name') } });
  const { defineProperty, hasOwn } = Object;
  const hide = (input, { members, headers }) => {
    const fail = (name) => { throw new NamedError(name === 'request.body' ? 'request.body is shown only to an authorizer that asks for bodies' : name + ' is no part of the key of its kept answers, so it is not shown') };
    for (const member of members) {
      const [root, name] = member.split('.');
      defineProperty(name === undefined ? input : (input[root] ??= {}), name ?? root, { get: () => fail(member), enumerable: true });
    }
    if (headers === null) return;
    const sent = input.request.headers;
    const shown = new Set(headers);
    input.request.headers = new RealProxy({}, {
      get: (_, name) => (typeof name !== 'string' ? undefined : !shown.has(name) ? fail('request.headers.' + name) : hasOwn(sent, name) ? sent[name] : undefined),
      has: (_, name) => (shown.has(name) ? hasOwn(sent, name) : fail('request.headers.' + String(name))),
      ownKeys: () => fail('the list of request.headers') });
  };
  return (decide, text, hidden) => {
    const input = parse(text);
    if (hidden !== '') hide(input, parse(hidden));
    input.resource = resource;
    const answer = decide(input);
    if (answer !== null && typeof answer === 'object' && typeof answer.then === 'function') throw new NamedError('decide answers at once, not with a promise');
    const written = stringify(answer);
    if (typeof written !== 'string') throw new NamedError('decide returned nothing');
    return written.length > ${AUTHORIZER_BOUNDS.answer} ? '"too long"' + ' '.repeat(${AUTHORIZER_BOUNDS.answer}) : written;
  };
})()`;

/**
 * A script in an interpreter of its own, ready to be called. What it holds when it was read is put back, byte for byte, after
 * every call, so that no call leaves anything for the next. It reaches nothing outside: no network, no import, no clock.
 */
export class ScriptSandbox {
  readonly #module: QuickJSWASMModule;
  readonly #runtime: QuickJSRuntime;
  readonly #context: QuickJSContext;
  readonly #clock: ScriptClock;
  readonly #timeMs: number;
  #call: QuickJSHandle | null = null;
  #decide: QuickJSHandle | null = null;
  #kept: readonly { readonly at: number; readonly bytes: Uint8Array }[] = [];
  #time: { readonly beganAt: number; readonly mayMs: number; readonly worked: number | null } = { beganAt: 0, mayMs: 0, worked: null };
  #interrupted = false;
  #tables: ReadonlyMap<string, TableRows> = new Map();

  /**
   * @param module an interpreter that nothing else uses
   */
  private constructor(module: QuickJSWASMModule, { timeMs }: ScriptSource, clock: ScriptClock) {
    this.#module = module;
    this.#clock = clock;
    this.#timeMs = timeMs;
    this.#runtime = module.newRuntime();
    this.#runtime.setMemoryLimit(BEGINNING_BYTES);
    this.#runtime.setMaxStackSize(STACK_BYTES);
    this.#runtime.setInterruptHandler(() => (this.#interrupted = this.#interrupted || this.#isOver()));
    this.#context = this.#runtime.newContext({ intrinsics: INTRINSICS });
  }

  /**
   * Reads a script.
   * @param load makes an interpreter that nothing else uses, in the memory that it is given
   * @returns it, ready to be called, or what came of reading it
   */
  static async open(load: LoadInterpreter, script: ScriptSource, clock: ScriptClock): Promise<ScriptSandbox | Exclude<ScriptRun, { kind: 'answer' }>> {
    const pages = Math.max(FIRST_PAGES, OWN_PAGES + (script.megabytes * MEGABYTE) / WASM_PAGE);
    // What the interpreter's own count of memory leaves out is held by this bound.
    const module = await load(new WebAssembly.Memory({ initial: FIRST_PAGES, maximum: pages }));
    const markedAt = markHeap(module);
    const sandbox = new ScriptSandbox(module, script, clock);
    const failed = sandbox.#begin(script);
    if (failed !== null) return failed;
    sandbox.#runtime.setMemoryLimit(script.megabytes * MEGABYTE);
    sandbox.#kept = keepMemory(module, markedAt);
    return sandbox;
  }

  #begin({ source, tables }: ScriptSource): Exclude<ScriptRun, { kind: 'answer' }> | null {
    const context = this.#context;
    this.#begins(BEGINNING_MS);
    context
      .newFunction('row', (table, key) => this.#row(context.getString(table), context.getString(key)))
      .consume((handle) => context.setProp(context.global, '__row', handle));
    context.newFunction('tables', () => context.newString(JSON.stringify(tables))).consume((handle) => context.setProp(context.global, '__tables', handle));
    const prelude = context.evalCode(PRELUDE, 'prelude.js');
    if (prelude.error) return this.#failed(prelude.error);
    this.#call = prelude.value;
    // Its text stands first, so that lines are counted as its author counts them.
    const read = context.evalCode(source, FILE, { type: 'global', strict: true });
    if (read.error) return this.#failed(read.error);
    read.value.dispose();
    const found = context.evalCode('typeof decide === "function" ? decide : undefined', 'prelude.js');
    if (found.error) return this.#failed(found.error);
    if (context.typeof(found.value) !== 'function') return { kind: 'fault', says: 'it has no function decide(input)', line: 0, column: 0 };
    this.#decide = found.value;
    return null;
  }

  #begins(mayMs: number): void {
    this.#time = { beganAt: this.#clock.passed(), mayMs, worked: this.#clock.worked() };
  }

  /** Asked between steps of a script, every some thousand of them. A busy machine takes nothing from its time, up to a bound. */
  #isOver(): boolean {
    const { beganAt, mayMs, worked } = this.#time;
    const passed = this.#clock.passed() - beganAt;
    if (passed <= mayMs) return false;
    if (worked === null || passed > mayMs * SCRIPT_SLOWEST) return true;
    const now = this.#clock.worked();
    return now === null || now - worked > mayMs;
  }

  #row(table: string, key: string): QuickJSHandle {
    const row = this.#tables.get(table)?.get(key);
    return row ? this.#context.newString(JSON.stringify(Object.fromEntries(row))) : this.#context.undefined;
  }

  /**
   * Calls it once.
   * @throws what the interpreter itself threw: it is not used again then
   */
  run({ input, tables, hidden }: ScriptCall): ScriptRun {
    const context = this.#context;
    if (!this.#call || !this.#decide) throw new Error('invariant: a sandbox that is open has its function');
    this.#tables = tables;
    this.#interrupted = false;
    this.#begins(this.#timeMs);
    const text = context.newString(input);
    const kept = context.newString(hidden === null ? '' : JSON.stringify(hidden));
    const result = context.callFunction(this.#call, context.undefined, this.#decide, text, kept);
    text.dispose();
    kept.dispose();
    let run: ScriptRun;
    if (result.error) run = this.#failed(result.error);
    else run = { kind: 'answer', text: result.value.consume((value) => context.getString(value)) };
    this.#putBack();
    return run;
  }

  #failed(error: QuickJSHandle): Exclude<ScriptRun, { kind: 'answer' }> {
    if (this.#interrupted) return { kind: 'time' };
    const dumped: unknown = error.consume((handle) => this.#context.dump(handle) as unknown);
    const { name, message, stack } = isRecord(dumped)
      ? dumped
      : { name: '', message: typeof dumped === 'string' ? dumped : 'it threw something that is no error', stack: '' };
    if (name === 'InternalError' && message === 'out of memory') return { kind: 'memory' };
    const place = /authorizer\.js:(\d+)(?::(\d+))?/.exec(typeof stack === 'string' ? stack : '');
    return {
      kind: 'fault',
      says: (typeof message === 'string' ? message : '').slice(0, AUTHORIZER_BOUNDS.reason),
      line: Number(place?.[1] ?? 0),
      column: Number(place?.[2] ?? 0),
    };
  }

  #putBack(): void {
    const memory = new Uint8Array(this.#module.getWasmMemory().buffer);
    for (const { at, bytes } of this.#kept) memory.set(bytes, at);
  }
}

const INTRINSICS = {
  BaseObjects: true,
  Eval: true,
  RegExp: true,
  RegExpCompiler: true,
  JSON: true,
  Proxy: true,
  MapSet: true,
  StringNormalize: true,
  TypedArrays: true,
  Promise: true,
  Date: true,
} as const;

/** What free memory is marked with, a page: nothing makes one of these by itself. */
const MARKS = Int32Array.from({ length: PAGE / 4 }, (_, word) => Math.imul(word + 1, 0x9e3779b1) | 1);
/** What static data of the interpreter may still come to use. */
const STATIC_SLACK = 64 * 1024;

/**
 * Marks what is free of the heap of a fresh interpreter, as far as a script may use it before its first call: so also what a
 * script sets to zero is seen to be its own.
 * @returns where the marks begin
 */
function markHeap(module: QuickJSWASMModule): number {
  // The heap begins where the first thing is put on it.
  module.newRuntime().dispose();
  const memory = new Int32Array(module.getWasmMemory().buffer);
  let last = memory.length - 1;
  while (last > 0 && memory[last] === 0) last--;
  const from = Math.ceil((last + 1) / MARKS.length) * MARKS.length;
  const to = Math.min(memory.length, from + (BEGINNING_BYTES * 2) / 4);
  for (let word = from; word < to; word += MARKS.length) memory.set(MARKS, word);
  return from * 4;
}

/**
 * Copies all that an interpreter holds: its static data, the used end of its stack, and its heap as far as it was touched. What lies
 * between is stack that nobody uses.
 */
function keepMemory(module: QuickJSWASMModule, markedAt: number): { at: number; bytes: Uint8Array }[] {
  const { buffer } = module.getWasmMemory();
  const memory = new Int32Array(buffer);
  let top = Math.min(memory.length, (markedAt + BEGINNING_BYTES * 2) / 4);
  while (top * 4 > markedAt && memory[top - 1] === MARKS[(top - 1) % MARKS.length]) top--;
  let unused = { from: 0, to: 0 };
  for (let word = 0, from = 0; word <= markedAt / 4; word++) {
    if (memory[word] === 0) continue;
    if (word - from > unused.to - unused.from) unused = { from, to: word };
    from = word + 1;
  }
  const end = Math.min(unused.from * 4 + STATIC_SLACK, unused.to * 4);
  return [
    { at: 0, bytes: new Uint8Array(buffer.slice(0, end)) },
    { at: unused.to * 4, bytes: new Uint8Array(buffer.slice(unused.to * 4, top * 4)) },
  ];
}
