// Measures side by side in one run, several rounds in turn, and writes medians. `npm run bench -- --json FILE`, or one
// group with `--only NAME`.
import { fork } from 'node:child_process';
import * as crypto from 'node:crypto';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { createServer } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { prepare, ROOT } from './lib/prepare.mjs';

const { values } = parseArgs({
  options: { json: { type: 'string' }, rounds: { type: 'string', default: '5' }, 'round-ms': { type: 'string', default: '3000' }, only: { type: 'string' } },
});
await prepare();
const { load, median } = await import('../perf/load.mjs');
const { start, endAll, longestStall, severalStarts } = await import('../perf/processes.mjs');
const { guardedStart, keyedStart, PATH } = await import('../perf/routes.mjs');
const { AUDIENCE, makeControl, makeIssuer, NODE_TOKEN, release } = await import('../perf/world.mjs');
const { keysUnderLoad, idleConnections } = await import('../perf/under-load.mjs');
const { scripts } = await import('../perf/authorizers.mjs');
const { reachTable, trialRun } = await import('../perf/reach.mjs');
const { bodyRatio, contractRoute, largeContractInNode, readings } = await import('../perf/contract.mjs');
const { learningRoute } = await import('../perf/learning.mjs');
const { limitCost, startStore } = await import('../perf/limits.mjs');
const { GOALS } = await import('../perf/goals.mjs');
const { twoCredentials } = await import('../perf/two-credentials.mjs');
const { askTogether, makeProofs, verifyAlone, verifyWhole } = await import('../perf/proofs.mjs');
const { Introspector } = await import('@virga/outbound');
const { ask, portsFor } = await import('../perf/in-process.mjs');
const { coldTokens, coldTokensOnOneCore } = await import('../perf/cold-tokens.mjs');
const { compileRelease, decide } = await import('@virga/core');
const rounds = Number(values.rounds);
const ms = Number(values['round-ms']);
/** How long each process is used before it is measured. */
const WARM_MS = 8000;
/** What is measured of one start where several are. */
const ofAStart = { rounds: Math.ceil(rounds / 2), ms, warmMs: WARM_MS };

async function throughput() {
  const upstream = await start('upstream.mjs');
  const upstreamUrl = `http://127.0.0.1:${upstream.port}`;
  const issuer = await makeIssuer();
  const headers = { authorization: `Bearer ${await issuer.sign('known')}`, accept: 'application/json', 'user-agent': 'bench/1', 'accept-encoding': 'gzip' };
  const { figures, failed, last } = await severalStarts(() => guardedStart({ ...ofAStart, upstreamUrl, issuer, headers }));
  const { control, gateway, measured } = last;
  const running = load(gateway.port, { path: PATH, headers, ms: 4000, inFlight: 16 });
  const effects = [];
  for (let number = 3; number <= 9; number++) {
    await new Promise((resolve) => setTimeout(resolve, 300));
    effects.push(await control.publish(number, release(upstreamUrl, issuer.issuer, 1000)));
  }
  const during = await running;
  await new Promise((resolve) => setTimeout(resolve, 600));
  // The longest time for which the serving thread was kept while a release of 10,000 operations came, one of which had
  // changed, and, for the noise of the machine, in as long a time without one.
  const longest = (meanwhile) => longestStall(gateway, meanwhile);
  const stalls = [];
  const quiet = [];
  const largeEffects = [];
  for (let number = 10; number <= 17; number++) {
    const large = release(upstreamUrl, issuer.issuer, 10_000);
    large.apis[0].operations[number * 100].summary = `changed for release ${number}`;
    const { kept: quietMs } = await longest(() => new Promise((resolve) => setTimeout(resolve, 100)));
    const stall = await longest(async () => void largeEffects.push(await control.publish(number, large)));
    // The first brings all operations, the others what has changed.
    if (number === 10) continue;
    quiet.push(quietMs);
    stalls.push(stall);
  }
  const keyEffectiveMs = await keysUnderLoad(control, gateway, { path: PATH, headers });
  const idleConnectionBytes = await idleConnections(gateway, { path: PATH, headers });
  const memory = gateway.child.latest.memory;
  const result = {
    ...figures,
    guardedFailedRequests: failed,
    publishFailedRequests: during.failed,
    keyEffectiveMs,
    idleConnectionBytes,
    publishEffectiveMs: median(effects),
    publishLargeEffectiveMs: median(largeEffects.slice(1)),
    publishLargeFirstMs: largeEffects[0],
    publishStallMs: Math.round(median(stalls.map(({ kept }) => kept)) * 10) / 10,
    publishWholeStallMs: Math.round(median(stalls.map(({ whole }) => whole)) * 10) / 10,
    quietStallMs: Math.round(median(quiet) * 10) / 10,
    memoryMb: { rss: Math.round(memory.rss / 1048576), heapUsed: Math.round(memory.heapUsed / 1048576) },
    tracesKept: control.seen.traces,
    requestsCounted: control.seen.counted,
    requestsPerSecond: Object.fromEntries(Object.entries(measured).map(([name, { perSecond }]) => [name, perSecond])),
  };
  control.close();
  issuer.close();
  return result;
}

async function growth() {
  const issuer = await makeIssuer();
  const ports = await portsFor(issuer.jwk);
  const token = await issuer.sign('known');
  const sizes = [100, 10_000].map((operations) => compileRelease(release('http://127.0.0.1:9', issuer.issuer, operations), ports));
  for (const compiled of sizes) await decide(compiled, ask(token));
  const time = (compiled) => {
    const from = performance.now();
    for (let index = 0; index < 60_000; index++) void decide(compiled, ask(token));
    return performance.now() - from;
  };
  for (const compiled of sizes) time(compiled);
  const pairs = Array.from({ length: rounds }, () => sizes.map(time));
  issuer.close();
  return { decisionGrowth: median(pairs.map(([small, large]) => large / small)), decisionMicroseconds: median(pairs.map(([small]) => small)) / 60 };
}

/** DPoP proofs, each seen once, against the library doing what any verifier must. */
async function dpopProofs() {
  const { proofs, facts } = await makeProofs(1500, 'a token');
  const timed = async (run) => {
    const from = performance.now();
    for (const proof of proofs) await run(proof, facts);
    return performance.now() - from;
  };
  const ratios = [];
  for (let round = 0; round < rounds + 1; round++) {
    const order = round % 2 === 0 ? [verifyAlone, verifyWhole] : [verifyWhole, verifyAlone];
    const times = new Map();
    for (const run of order) times.set(run, await timed(run));
    if (round > 0) ratios.push(times.get(verifyAlone) / times.get(verifyWhole));
  }
  return { dpopRatio: median(ratios) };
}

/** Forty opaque tokens in two thousand requests at once: how often the provider is asked for each. */
async function introspection() {
  let calls = 0;
  const server = createServer((req, res) => {
    calls++;
    setTimeout(() => res.end(JSON.stringify({ active: true, aud: AUDIENCE, scope: 'gates:read' })), 20);
  });
  await new Promise((resolve) => server.listen(0, '127.0.0.1', resolve));
  const endpoint = `http://127.0.0.1:${server.address().port}/introspect`;
  const document = release('http://127.0.0.1:9', 'https://bench.example', 100);
  const credential = { method: 'client_secret_basic', clientId: 'gateway', secret: 's' };
  const source = { kind: 'introspection', endpoint, credential, positiveSeconds: 60, negativeSeconds: 5, timeoutMs: 5000, impliedAudience: null };
  document.providers[0].source = source;
  const secrets = { value: () => 'a secret of the bench' };
  const introspector = new Introspector(secrets, Date.now);
  const held = { generation: 0, state: 'none', keys: [] };
  const ports = closedPorts({
    now: Date.now,
    ticks: () => performance.now(),
    digest: (text) => crypto.hash('sha256', text, 'base64url'),
    keys: { held: () => held, refetch: () => Promise.resolve(held) },
    signatures: NODE_SIGNATURES,
    introspection: introspector,
    secrets,
  });
  const tokens = Array.from({ length: 40 }, (_, index) => `opaque-token-number-${index}`);
  await askTogether(document, ports, tokens, 50);
  await introspector.close();
  server.close();
  return { introspectionCallsPerToken: calls / tokens.length };
}

/** What a program of perf/ measures in a process of its own. */
async function measuredApart(program) {
  const child = fork(join(ROOT, 'perf', program), [], { execArgv: ['--expose-gc'], stdio: ['ignore', 'inherit', 'inherit', 'ipc'] });
  const measured = await new Promise((resolve) => child.on('message', resolve));
  child.disconnect();
  return measured;
}

async function memories() {
  const { tokens, bytes } = await measuredApart('token-cache.mjs');
  const directory = await measuredApart('directory.mjs');
  return {
    tokenCacheTokens: tokens,
    tokenCacheBytes: bytes,
    directoryClients: directory.clients,
    directoryBytes: directory.bytes,
    directoryStartMs: Math.round(directory.startMs),
  };
}

async function allColdTokens() {
  const [coldTokenRatio, coldDecisionRatio] = await coldTokens('RS256', rounds);
  const [coldEs256Ratio] = await coldTokens('ES256', rounds);
  const [coldEdDsaRatio] = await coldTokens('EdDSA', rounds);
  const [coldTokenOneCoreRatio, coldEs256OneCoreRatio] = ['RS256', 'ES256'].map((algorithm) => coldTokensOnOneCore(algorithm, rounds));
  return { coldTokenRatio, coldTokenOneCoreRatio, coldDecisionRatio, coldEs256Ratio, coldEs256OneCoreRatio, coldEdDsaRatio };
}

/** Scripts of authorizers: calls a second, and what hostile ones keep the thread that serves from. */
async function authorizers() {
  const { perSecond, stalls, spinMs } = await scripts(rounds, ms);
  const tenths = (value) => Math.round(value * 10) / 10;
  return {
    scriptCallsPerSecond: Math.round(median(perSecond)),
    eventLoopStallMs: tenths(Math.max(...Object.values(stalls))),
    spinningThreadsStallMs: tenths(spinMs),
    hostileStallsMs: Object.fromEntries(Object.entries(stalls).map(([name, value]) => [name, tenths(value)])),
  };
}

/** Contract checks: one body, one large contract, one route. */
async function contracts() {
  const upstream = await start('upstream.mjs');
  const upstreamUrl = `http://127.0.0.1:${upstream.port}`;
  const [control, issuer] = [await makeControl(), await makeIssuer()];
  const bare = await start('bare-forwarder.mjs', upstreamUrl);
  const gateway = await start('gateway.mjs', control.url, NODE_TOKEN, mkdtempSync(join(tmpdir(), 'virga-bench-')));
  while (!control.connected()) await new Promise((resolve) => setTimeout(resolve, 20));
  const headers = { authorization: `Bearer ${await issuer.sign('known')}`, accept: 'application/json' };
  const world = { control, gateway, bare, upstreamUrl, issuer: issuer.issuer, headers, rounds, ms, longest: (during) => longestStall(gateway, during) };
  const contractRatio = bodyRatio(rounds);
  const route = await contractRoute({ ...world, number: 1 });
  const large = await largeContractInNode({ ...world, number: 2 });
  control.close();
  issuer.close();
  return { contractRatio, ...route, ...large };
}

/** Learning and looking for sensitive data, against the same route without. */
async function learning() {
  const upstream = await start('upstream.mjs');
  const [control, issuer] = [await makeControl(), await makeIssuer()];
  const gateway = await start('gateway.mjs', control.url, NODE_TOKEN, mkdtempSync(join(tmpdir(), 'virga-bench-')));
  while (!control.connected()) await new Promise((resolve) => setTimeout(resolve, 20));
  const headers = { authorization: `Bearer ${await issuer.sign('known')}`, accept: 'application/json' };
  const measured = await learningRoute({
    ...{ control, gateway, headers, rounds, ms, issuer: issuer.issuer },
    upstreamUrl: `http://127.0.0.1:${upstream.port}`,
    longest: (during) => longestStall(gateway, during),
    body: JSON.stringify(readings(7)),
  });
  control.close();
  issuer.close();
  return measured;
}

/** A route with a key, a plan and two limits: counted in the node, and in a store that nodes share. */
async function limits() {
  const upstream = await start('upstream.mjs');
  const upstreamUrl = `http://127.0.0.1:${upstream.port}`;
  const issuer = await makeIssuer();
  const store = await startStore();
  const routes = {};
  for (const [name, url] of [['keyedRouteRatio', ''], ...(store ? [['keyedRouteRedisRatio', store.url]] : [])]) {
    const { figures, failed, last } = await severalStarts(() => keyedStart({ ...ofAStart, name, storeUrl: url, upstreamUrl, issuer }));
    Object.assign(routes, figures, { [`${name}Failed`]: failed });
    last.close();
  }
  store?.stop();
  const cost = await limitCost(portsFor, issuer, rounds);
  issuer.close();
  return { ...routes, ...cost };
}

const GROUPS = {
  limits,
  contracts,
  learning,
  reach: async () => ({ reachMs: median(await reachTable(rounds)), trialsMs: median(await trialRun(rounds)) }),
  authorizers,
  tokens: allColdTokens,
  memories,
  credentials: () => twoCredentials(portsFor, rounds),
  proofs: dpopProofs,
  introspection,
  growth,
  gateway: throughput,
};
if (values.only !== undefined && !Object.hasOwn(GROUPS, values.only)) {
  console.error(`there is no group ${values.only}: ${Object.keys(GROUPS).join(', ')}`);
  process.exit(2);
}
const result = {};
for (const [name, measure] of Object.entries(GROUPS)) if (values.only === undefined || values.only === name) Object.assign(result, await measure());
endAll();
console.log('\nmedians of', rounds, 'rounds');
for (const [name, goal] of Object.entries(GOALS)) {
  if (result[name] !== undefined) console.log(`${name.padEnd(24)} ${Number(result[name]).toFixed(3).padStart(8)}   goal ${goal}`);
}
if (values.json) writeFileSync(values.json, `${JSON.stringify({ goals: GOALS, rounds, ...result }, null, 2)}\n`);
process.exit(0);
