// What scripts of authorizers cost, in the gateway's own pool of threads.
import { monitorEventLoopDelay } from 'node:perf_hooks';
import { Worker } from 'node:worker_threads';
import { median } from './load.mjs';
import { ScriptPool } from '../apps/gateway/dist/authorizers/script-pool.js';

const IN_FLIGHT = 16;
const WARM_MS = 2000;
const RULE = {
  kind: 'script',
  body: false,
  timeMs: 20,
  megabytes: 8,
  tables: ['gates'],
  source: `function decide({ principal, request, resource }) {
    const section = resource.gates[request.parameters.gateId]?.section;
    if (!section) return { allow: false, reason: 'no such gate' };
    return { allow: principal.roles.includes('rider') && principal.attributes.sections.includes(section), headers: { 'x-section': section } };
  }`,
};
const TABLES = new Map([['gates', new Map([['G-4', new Map([['section', 'north-1']])]])]]);
const INPUT = JSON.stringify({
  principal: {
    subject: 'rider.north',
    issuer: 'https://sign-in.example',
    provider: 'Sign-in',
    scopes: ['gates:operate'],
    roles: ['rider'],
    attributes: { sections: ['north-1', 'north-2'] },
  },
  client: { id: 'rider-tablet' },
  credentials: ['token'],
  request: {
    method: 'POST',
    path: '/headgates/gates/G-4/positions',
    operation: 'POST /gates/{gateId}/positions',
    parameters: { gateId: 'G-4' },
    query: {},
    headers: { host: 'gateway.example', accept: 'application/json', 'user-agent': 'bench/1', 'content-type': 'application/json', 'content-length': '41' },
    address: '192.0.2.7',
  },
  now: '2026-06-01T06:00:00.000Z',
});
const CALL = { input: INPUT, tables: TABLES, hidden: null };

/** Calls a second of one script, and the longest time for which the thread that serves was kept while hostile ones ran in all others. */
export async function scripts(rounds, ms) {
  const pool = new ScriptPool(() => undefined);
  const callee = { identity: 'bench', script: RULE };
  const keepCalling = async (who, until, each = () => undefined) => {
    let calls = 0;
    const worker = async () => {
      while (performance.now() < until) {
        const run = await pool.run(who, CALL);
        each(run);
        calls++;
        // Whoever was refused comes again in a turn of its own, as a request does.
        if (run.kind === 'busy') await new Promise((resolve) => setTimeout(resolve, 1));
      }
    };
    await Promise.all(Array.from({ length: IN_FLIGHT }, worker));
    return calls;
  };
  const good = (run) => {
    if (run.kind !== 'answer') throw new Error(`the script came to ${JSON.stringify(run)}`);
  };
  await keepCalling(callee, performance.now() + WARM_MS, good);
  const perSecond = [];
  for (let round = 0; round < rounds; round++) {
    const from = performance.now();
    const calls = await keepCalling(callee, from + ms, good);
    perSecond.push((calls * 1000) / (performance.now() - from));
  }
  const stalls = {};
  for (const [who, source] of Object.entries(HOSTILE)) {
    const hostile = { identity: who, script: { ...RULE, tables: [], source: `function decide() { ${source} }` } };
    await pool.run(hostile, { ...CALL, tables: new Map() });
    stalls[who] = await longestPauses(rounds, () => keepCalling(hostile, performance.now() + SLICE_MS));
  }
  await pool.stop();
  // For scale: threads of the platform that do nothing but spin, as many as the pool has.
  const spinning = [0, 1].map(() => new Worker('for (;;);', { eval: true }));
  const spinMs = await longestPauses(rounds, () => new Promise((resolve) => setTimeout(resolve, SLICE_MS)));
  await Promise.all(spinning.map((worker) => worker.terminate()));
  return { perSecond, stalls, spinMs };
}

const SLICE_MS = 500;
const HOSTILE = {
  loop: 'for (;;);',
  memory: 'const all = []; for (;;) all.push(new Uint8Array(1e6));',
  pattern: 'return /^(a+)+$/.test("a".repeat(40) + "!");',
  // Nothing stops this but the end of its thread.
  stuck: 'return "a".repeat(2e6).indexOf("a".repeat(1e6) + "b");',
};

/** The longest pause of this thread in each of several slices of time; the median of these. */
async function longestPauses(rounds, during) {
  const longest = [];
  for (let round = 0; round < rounds * 3; round++) {
    const delay = monitorEventLoopDelay({ resolution: 1 });
    delay.enable();
    await during();
    delay.disable();
    longest.push(delay.max / 1e6);
  }
  return median(longest);
}
