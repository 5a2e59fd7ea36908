import { loadInterpreter, WORK_CLOCK } from '../../test/interpreter.js';
import type { ScriptSource } from '../document/authorizer-rule.js';
import { OPEN_SCOPE, type ConditionScope } from '../condition/condition-input.js';
import { checkScript } from './check-script.js';
import { completeScript } from './complete-script.js';
import { isCovered, readScriptAnswer } from './read-answer.js';
import { SandboxShelf } from './sandbox-shelf.js';
import { SCRIPT_SLOWEST, ScriptSandbox, type ScriptRun } from './script-sandbox.js';

const script = (source: string, more: Partial<ScriptSource> = {}): ScriptSource => ({
  kind: 'script',
  source,
  timeMs: 150,
  megabytes: 8,
  tables: [],
  body: false,
  ...more,
});

const load = await loadInterpreter();

async function opened(source: string, more: Partial<ScriptSource> = {}): Promise<ScriptSandbox> {
  const sandbox = await ScriptSandbox.open(load, script(source, more), WORK_CLOCK);
  if (!(sandbox instanceof ScriptSandbox)) throw new Error(JSON.stringify(sandbox));
  return sandbox;
}

const answerOf = (run: ScriptRun): unknown => (run.kind === 'answer' ? JSON.parse(run.text) : run);
const call = (sandbox: ScriptSandbox, input: unknown = {}, tables: Parameters<ScriptSandbox['run']>[0]['tables'] = new Map()): unknown =>
  answerOf(sandbox.run({ input: JSON.stringify(input), tables, hidden: null }));

describe('a script in its sandbox', () => {
  it('answers by its input', async () => {
    const sandbox = await opened('function decide({ request }) { return { allow: request.method === "GET" } }');
    expect(call(sandbox, { request: { method: 'GET' } })).toEqual({ allow: true });
    expect(call(sandbox, { request: { method: 'POST' } })).toEqual({ allow: false });
  });

  it('leaves nothing for the next call, however it keeps it', async () => {
    const sandbox = await opened(`
      let count = 0;
      const kept = [], zeros = new Uint8Array(300000), map = new Map();
      const make = () => { let inner = 0; return () => ++inner; };
      const next = make();
      function* counting() { let n = 0; for (;;) yield ++n; }
      const counted = counting();
      decide.calls = 0;
      function decide(input) {
        const seen = [count++, kept.push(input.secret), zeros[250000]++, map.size, next(), counted.next().value, decide.calls++,
          globalThis.left ?? 'nothing', Array.prototype.left ?? 'nothing', String(Object.prototype.toString).length, JSON.left ?? 'nothing', /a/g.test('a')];
        zeros.fill(7); map.set(input.secret, 1); globalThis.left = input.secret; Array.prototype.left = input.secret; JSON.left = input.secret;
        Object.prototype.toString = () => 'other'; Array.prototype.includes = () => true; count += 10;
        return { seen };
      }`);
    const first = call(sandbox, { secret: 'one' });
    for (let index = 0; index < 200; index++) expect(call(sandbox, { secret: `another ${index} ${'x'.repeat(index * 50)}` })).toEqual(first);
    expect(first).toEqual({ seen: [0, 1, 0, 0, 1, 1, 0, 'nothing', 'nothing', expect.any(Number) as number, 'nothing', true] });
  });

  it('is as it was after a call that ran out of time or memory, or threw', async () => {
    const sandbox = await opened(`
      let state = 0;
      function decide({ what }) {
        state++;
        if (what === 'loop') for (;;);
        if (what === 'catch') for (;;) { try { for (;;); } catch { state++; } }
        if (what === 'memory') { const all = []; for (;;) all.push(new Uint8Array(100000)); }
        if (what === 'big') return 'x'.repeat(1e8);
        if (what === 'deep') { const down = () => down() + 1; return down(); }
        if (what === 'pattern') return /^(a+)+$/.test('a'.repeat(40) + '!');
        if (what === 'sort') return new Array(1e4).fill(0).map((_, i) => -i).sort((a, b) => { for (let i = 0; i < 1e5; i++); return a - b; }).length;
        if (what === 'throw') { state = 100; throw new Error('no ' + state); }
        return { state };
      }`);
    const kinds = ['loop', 'catch', 'memory', 'big', 'deep', 'pattern', 'sort', 'throw'].map((what) => {
      const run = sandbox.run({ input: JSON.stringify({ what }), tables: new Map(), hidden: null });
      expect(call(sandbox)).toEqual({ state: 1 });
      return `${what}: ${run.kind}`;
    });
    expect(kinds).toEqual(['loop: time', 'catch: time', 'memory: memory', 'big: memory', 'deep: fault', 'pattern: time', 'sort: time', 'throw: fault']);
  });

  describe('has its time as work, not as what a busy machine kept it waiting for, up to a bound', () => {
    /** A clock of which each step is work by this share. What it waits for stands between the first two steps. */
    const clockOf = (share: number | null) => {
      const clock = {
        steps: 0,
        waits: 0,
        passed: () => (clock.steps++ === 0 ? 1 : clock.took()),
        worked: () => (share === null ? null : clock.steps * share),
        took: () => clock.steps + clock.waits,
      };
      return clock;
    };
    const counting = (rounds: string) => script(`function decide() { let n = 0; for (let i = 0; i < ${rounds}; i++) n += i; return { n } }`);

    it('in a call', async () => {
      const kinds = async (share: number | null, rounds: string, waits = 0): Promise<string> => {
        const clock = clockOf(share);
        const sandbox = await ScriptSandbox.open(load, counting(rounds), clock);
        if (!(sandbox instanceof ScriptSandbox)) throw new Error(JSON.stringify(sandbox));
        Object.assign(clock, { steps: 0, waits });
        const { kind } = sandbox.run({ input: '{}', tables: new Map(), hidden: null });
        const took = clock.took();
        return `${kind} ${took <= 156 ? 'within' : took <= 150 * SCRIPT_SLOWEST + 2 ? 'beyond' : 'far beyond'}`;
      };
      expect(await kinds(0.2, '100')).toBe('answer within');
      expect(await kinds(0.2, '3e6')).toBe('answer beyond');
      expect(await kinds(1, '3e6')).toBe('time within');
      expect(await kinds(null, '3e6')).toBe('time within');
      expect(await kinds(0.5, '1e9')).toBe('time beyond');
      expect(await kinds(0.001, '1e9')).toBe('time beyond');
      expect(await kinds(0.2, '3e4', 1000)).toBe('answer beyond');
      expect(await kinds(null, '3e4', 1000)).toBe('time beyond');
      expect(await kinds(0.2, '3e4', 2000)).toBe('time far beyond');
    });

    it('and is read anew after a while, not at once, where it did not end in its time', async () => {
      let [at, read] = [0, 0];
      const shelf = new SandboxShelf(
        () => {
          read++;
          return Promise.resolve(load);
        },
        { passed: () => ++at, worked: () => null },
        2,
      );
      const kinds = async (): Promise<string> => {
        const ready = await shelf.take('loops', script('for (;;);'));
        return ready instanceof ScriptSandbox ? 'ready' : ready.kind;
      };
      expect([await kinds(), await kinds(), read]).toEqual(['time', 'time', 1]);
      at += 1000;
      expect([await kinds(), await kinds(), read]).toEqual(['time', 'time', 2]);
      const other = await shelf.take('other', counting('1'));
      expect([await shelf.take('other', counting('1')), read]).toEqual([other, 3]);
      // Of more than it holds the first goes.
      await shelf.take('third', counting('1'));
      await kinds();
      expect(read).toBe(5);
    });

    it('while it is read', async () => {
      const cameOf = async (share: number | null, waits: number): Promise<string> => {
        const sandbox = await ScriptSandbox.open(load, counting('1'), Object.assign(clockOf(share), { waits }));
        return sandbox instanceof ScriptSandbox ? 'ready' : sandbox.kind;
      };
      expect([await cameOf(null, 0), await cameOf(0.2, 0), await cameOf(0.2, 1000), await cameOf(0.2, 3000), await cameOf(null, 1000)]).toEqual([
        'ready',
        'ready',
        'ready',
        'time',
        'time',
      ]);
    });
  });

  it('reads times, and knows none by itself', async () => {
    const sandbox = await opened(
      'function decide({ at }) { return { ms: timeOf(at), made: typeof Date, reached: Object.getOwnPropertyNames(globalThis).filter((name) => /date/i.test(name)) } }',
    );
    expect(call(sandbox, { at: '2026-05-01T06:00:00Z' })).toEqual({ ms: Date.UTC(2026, 4, 1, 6), made: 'undefined', reached: [] });
    for (const at of ['', 'yesterday', '2026-05-01T06:00:00', 5, null, {}]) expect(call(sandbox, { at })).toMatchObject({ kind: 'fault' });
  });

  it('says where it failed, as its author counts lines', async () => {
    const sandbox = await opened('function decide(input) {\n  return input.principal.roles.includes("x");\n}');
    expect(call(sandbox)).toMatchObject({ kind: 'fault', line: 2 });
  });

  it('reaches nothing outside and has no clock', async () => {
    const names = [
      'Date',
      'fetch',
      'process',
      'require',
      'performance',
      'console',
      'setTimeout',
      'Promise',
      'SharedArrayBuffer',
      'Atomics',
      'WebAssembly',
      '__row',
      '__tables',
      'std',
      'os',
    ];
    const sandbox = await opened(
      `function decide() { return { found: ${JSON.stringify(names)}.filter((name) => typeof globalThis[name] !== 'undefined'), random: typeof Math.random } }`,
    );
    expect(call(sandbox)).toEqual({ found: [], random: 'undefined' });
    for (const body of ['import("x")', '(async () => ({ allow: true }))()'])
      expect(answerOf((await opened(`function decide() { return ${body} }`)).run({ input: '{}', tables: new Map(), hidden: null }))).not.toHaveProperty(
        'allow',
      );
  });

  it('looks up rows of the tables that it names, and no others', async () => {
    const sandbox = await opened(
      `function decide({ resource, what }) { return { what: what === 'row' ? resource.lockouts['G-1'] ?? null : what === 'in' ? 'G-2' in resource.lockouts
        : what === 'other' ? resource.secrets?.x ?? 'missed' : what === 'list' ? Object.keys(resource.lockouts) : what === 'set' ? (resource.lockouts.x = 1)
        : what === 'proto' ? resource.lockouts['__proto__'] ?? null : resource.lockouts.constructor ?? null } }`,
      { tables: ['lockouts'] },
    );
    const tables = new Map([['lockouts', new Map([['G-1', new Map([['since', 'May']])]])]]);
    expect(call(sandbox, { what: 'row' }, tables)).toEqual({ what: { since: 'May' } });
    expect(call(sandbox, { what: 'in' }, tables)).toEqual({ what: false });
    expect(call(sandbox, { what: 'proto' }, tables)).toEqual({ what: null });
    expect(call(sandbox, { what: 'constructor' }, tables)).toEqual({ what: null });
    for (const what of ['other', 'list', 'set']) expect(call(sandbox, { what }, tables)).toMatchObject({ kind: 'fault' });
  });

  it('answers with JSON or not at all', async () => {
    const bodies = [
      ['return undefined', 'fault'],
      ['return () => 1', 'fault'],
      ['return Symbol()', 'fault'],
      ['return { toJSON() { return undefined } }', 'fault'],
      ['return { then() {} }', 'fault'],
      ['const a = {}; a.a = a; return a', 'fault'],
      ['return 10n', 'fault'],
      ['throw null', 'fault'],
      ['throw "a text"', 'fault'],
      ['throw { name: "InternalError", message: "interrupted" }', 'fault'],
      ['return "x".repeat(1e6)', 'answer'],
      ['JSON.stringify = () => "{}"; Object.prototype.toJSON = () => ({ allow: true }); return 5', 'answer'],
    ] as const;
    const sandbox = await opened(`function decide({ which }) { switch (which) { ${bodies.map(([body], index) => `case ${index}: { ${body} }`).join('\n')} } }`);
    bodies.forEach(([body, kind], which) => {
      expect({ body, kind: sandbox.run({ input: JSON.stringify({ which }), tables: new Map(), hidden: null }).kind }).toEqual({ body, kind });
    });
    const long = sandbox.run({ input: '{"which":10}', tables: new Map(), hidden: null });
    expect(long.kind === 'answer' ? readScriptAnswer(long.text, []) : long).toMatch(/at most 16384/);
  });

  it('cannot begin with what is no script, loops or holds too much', async () => {
    const open = (source: string) => ScriptSandbox.open(load, script(source), WORK_CLOCK);
    expect(await open('function decide( {')).toMatchObject({ kind: 'fault', line: 1 });
    expect(await open('const other = 1')).toMatchObject({ kind: 'fault' });
    expect(await open('for (;;);')).toEqual({ kind: 'time' });
    expect(await open('const big = new Uint8Array(5e6); function decide() {}')).toEqual({ kind: 'memory' });
  });
});

describe('what is checked of a script before it runs', () => {
  const says = (source: string): string[] =>
    checkScript(source, { parameters: ['gateId'], attributes: ['sections'], tables: { lockouts: ['gate', 'since'] } }).map(
      ({ at, says: what }) => `${at} ${what}`,
    );

  it('takes scripts of every usual form', () => {
    for (const source of [
      'function decide(input) { return { allow: true } }',
      'const decide = ({ request: { parameters }, principal }) => ({ allow: principal.attributes.sections?.includes(parameters.gateId) })',
      'const decide = function (input) { const { resource } = input; return { allow: resource.lockouts["x"]?.since === undefined } }',
      'function other(principal) { return principal.anything } function decide({ principal }) { return other(principal) }',
    ])
      expect(says(source)).toEqual([]);
  });

  it('names what is wrong, with its place', () => {
    expect(says('function decide( {')).toEqual(['18 Unexpected token']);
    expect(says('const x = 1')).toEqual(['0 a script has a function decide(input) at its outermost level']);
    expect(says('async function decide() {}')).toEqual(['0 decide answers at once: it is neither async nor a generator']);
    expect(says('import x from "y"; function decide() {}')).toHaveLength(1);
    expect(says('function decide({ principal, request }) { return principal.rolez || request.parameters.gate }')).toEqual([
      '59 principal has no member rolez',
      '87 request.parameters has no member gate',
    ]);
    expect(says('function decide(input) { const { request } = input; return request.metod }')).toEqual(['67 request has no member metod']);
    expect(says('with (x) {} function decide() {}')).toHaveLength(1);
    expect(says('')).toHaveLength(1);
    expect(says(`${'['.repeat(20000)}`)).toHaveLength(1);
  });
});

describe('an answer', () => {
  it('says exactly what it says, or is none', () => {
    expect(readScriptAnswer('{"allow":true,"headers":{"X-Section":"N2"},"covers":[{"method":"GET","path":"/gates/*"}],"seconds":5}', ['x-section'])).toEqual({
      says: 'allow',
      reason: '',
      tell: false,
      headers: { 'x-section': 'N2' },
      covers: [{ method: 'GET', path: '/gates/*' }],
      seconds: 5,
    });
    expect(readScriptAnswer('{"allow":false,"signIn":true,"reason":"again"}', [])).toMatchObject({ says: 'sign-in', reason: 'again' });
    for (const text of [
      'true',
      '[]',
      'null',
      '{}',
      '{"allow":"true"}',
      '{"allow":1}',
      '{"allow":true,"signIn":true}',
      '{"allow":true,"other":1}',
      '{"allow":true,"headers":{"authorization":"x"}}',
      '{"allow":true,"headers":{"x-a":"line\\r\\nx-b: 1"}}',
      '{"allow":true,"headers":{"x-a":"a","X-A":"b"}}',
      '{"allow":true,"headers":{"x-a":""}}',
      '{"allow":true,"covers":[{"method":"GET","path":"gates"}]}',
      '{"allow":true,"covers":[{"method":"get","path":"/"}]}',
      '{"allow":true,"covers":[{"method":"GET","path":"/a/**/b"}]}',
      '{"allow":true,"covers":[{"method":"GET","path":"/a*"}]}',
      '{"allow":true,"seconds":-1}',
      '{"allow":true,"seconds":"5"}',
      '{"allow":true,"reason":5}',
      'x',
    ])
      expect({ text, read: typeof readScriptAnswer(text, ['x-a']) }).toEqual({ text, read: 'string' });
  });

  it('covers what its patterns say', () => {
    const covers = (path: string, asked: string, method = 'GET'): boolean => isCovered({ method: 'GET', path }, { method, path: asked });
    expect(covers('/gates/*', '/gates/7')).toBe(true);
    expect(covers('/gates/*', '/gates/7', 'POST')).toBe(false);
    expect(covers('/gates/*', '/gates')).toBe(false);
    expect(covers('/gates/*', '/gates/')).toBe(false);
    expect(covers('/gates/*', '/gates/7/positions')).toBe(false);
    expect(covers('/gates/**', '/gates/7/positions')).toBe(true);
    expect(covers('/gates/**', '/other/7')).toBe(false);
    expect(covers('/**', '/anything/at/all')).toBe(true);
    expect(isCovered({ method: '*', path: '/a' }, { method: 'DELETE', path: '/a' })).toBe(true);
  });
});

describe('what is offered while a script is written', () => {
  const scope: ConditionScope = {
    ...OPEN_SCOPE,
    body: true,
    bodyMembers: [
      { path: ['opening'], type: 'number', about: 'Percent' },
      { path: ['by'], type: 'object', about: '' },
      { path: ['by', 'crew'], type: 'list of string', about: '' },
    ],
    contractParameters: [
      { in: 'query', name: 'season', type: 'string', values: null, about: 'Of the year' },
      { in: 'header', name: 'crew', type: 'string', values: null, about: 'Of the gate' },
      { in: 'header', name: 'x-team', type: 'string', values: null, about: '' },
    ],
  };
  const offered = (source: string, known = scope) => completeScript(source, source.length, known).words.map(({ word, detail }) => `${word}: ${detail}`);

  it('are members of its input, and those that contracts name in bodies and queries', () => {
    expect(offered('function decide({ request }) { return request.body.')).toEqual(['opening: number', 'by: object']);
    expect(offered('function decide(input) { return input.request.body.by.')).toEqual(['crew: list of string']);
    expect(offered('function decide({ request }) { return request.query.')).toEqual(['season: string']);
    expect(offered('function decide(input) { return input.request.query?.')).toEqual(['season: string']);
    expect(offered('function decide({ request }) { return request.headers.')).toEqual(['crew: string']);
    // No body is offered to one that is shown none.
    expect(offered('request.', { ...scope, body: false }).some((word) => word.startsWith('body'))).toBe(false);
    expect(offered('request.body.', { ...scope, body: false })).toEqual([]);
  });
});
