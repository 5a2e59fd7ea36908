import { loadInterpreter, WORK_CLOCK } from '../../test/interpreter.js';
import type { TableRows } from '../directory/table-fact.js';
import { localScripts } from './local-scripts.js';
import { RunMemory } from './run-memory.js';
import type { ScriptCall, ScriptRun } from './script-sandbox.js';

const CALL: ScriptCall = { input: '{"a":1}', hidden: null, tables: new Map() };
const script = (source: string) => ({ identity: source, script: { kind: 'script', source, timeMs: 20, megabytes: 8, tables: [], body: false } as const });
const ALLOW = script('function decide() { let n = 0; for (let i = 0; i < 100000; i++) n += i; return { allow: n > 0 }; }');

/** A clock that leaps a second each of the first so many times that it is looked at, and of work that nobody tells. */
const leaping = (leaps: number) => {
  let now = 0;
  return { passed: () => (leaps-- > 0 ? (now += 1000) : now), worked: () => null };
};

describe('scripts that are run for suppositions', () => {
  it('are called again where a machine was too busy for their time', async () => {
    for (const leaps of [0, 1, 2, 3, 4, 5]) {
      const { run } = localScripts(loadInterpreter, leaping(leaps));
      expect([leaps, await run(ALLOW, CALL)]).toEqual([leaps, { kind: 'answer', text: '{"allow":true}' }]);
    }
    const { run } = localScripts(loadInterpreter, leaping(Infinity));
    expect(await run(ALLOW, CALL)).toEqual({ kind: 'time' });
  });

  it('that never end are given up', async () => {
    const { run } = localScripts(loadInterpreter, WORK_CLOCK);
    expect(await run(script('function decide() { for (;;); }'), CALL)).toEqual({ kind: 'time' });
    expect(await run(script('for (;;);'), CALL)).toEqual({ kind: 'time' });
  });
});

describe('what came of a call', () => {
  const rows = (): TableRows => new Map([['G-1', new Map([['section', 'north']])]]);
  const counted = (memory: RunMemory, done: ScriptRun = { kind: 'answer', text: '{}' }) => {
    let runs = 0;
    return { ask: (identity: string, call: ScriptCall) => (memory.once(identity, call, () => (runs++, done)), runs) };
  };

  it('is kept for the same script, input and tables alone', () => {
    const { ask } = counted(new RunMemory(WORK_CLOCK));
    const gates = rows();
    const call = { ...CALL, tables: new Map([['gates', gates]]) };
    expect([ask('one', call), ask('one', { ...call, tables: new Map([['gates', gates]]) })]).toEqual([1, 1]);
    expect(ask('two', call)).toBe(2);
    expect(ask('one', { ...call, input: '{"a":2}' })).toBe(3);
    // A table that was changed is another one, whatever stands in it.
    expect(ask('one', { ...call, tables: new Map([['gates', rows()]]) })).toBe(4);
    expect(ask('one', { ...call, tables: new Map([['fields', gates]]) })).toBe(5);
    expect(ask('one', { ...call, hidden: { members: ['principal'], headers: null } })).toBe(6);
    expect(ask('one', { ...call, hidden: { members: ['principal'], headers: ['x-crew'] } })).toBe(7);
    expect(ask('one', call)).toBe(7);
  });

  it('is asked anew after a while where it came to no end, and not where it failed', () => {
    let now = 0;
    const clock = { passed: () => now, worked: () => null };
    const late = counted(new RunMemory(clock), { kind: 'time' });
    const failed = counted(new RunMemory(clock), { kind: 'fault', says: '', line: 1, column: 1 });
    expect([late.ask('one', CALL), failed.ask('one', CALL)]).toEqual([1, 1]);
    now = 9_999;
    expect([late.ask('one', CALL), failed.ask('one', CALL)]).toEqual([1, 1]);
    now = 10_000;
    expect([late.ask('one', CALL), failed.ask('one', CALL)]).toEqual([2, 1]);
  });

  it('is kept by nobody where the interpreter itself threw', () => {
    const memory = new RunMemory(WORK_CLOCK);
    const broken = () => {
      throw new Error('broken');
    };
    expect(() => memory.once('one', CALL, broken)).toThrow('broken');
    expect(memory.once('one', CALL, () => ({ kind: 'memory' }))).toEqual({ kind: 'memory' });
  });
});
