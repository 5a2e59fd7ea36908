import { Directory, MemoryCounters, closedPorts, compileRelease, decide, Exchange } from '@virga/core';
import { spawn } from 'node:child_process';
import { hash } from 'node:crypto';
import { mkdtempSync } from 'node:fs';
import { createConnection } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { inTurns, median } from './load.mjs';
import { release } from './world.mjs';

const KEY = 'vrk_of-the-bench-that-is-long-enough-for-one';
const LOOKUP = hash('sha256', KEY, 'base64url');
const PLENTY = 1_000_000_000;

/** A route with a key, a plan with a rate and a quota, and two limits beside it. */
export function keyed(document) {
  const [api] = document.apis;
  const scheme = { name: 'k', type: 'apiKey', declared: 'apiKey', metadataUrl: null, providers: [], place: { kind: 'header', name: 'x-key', scheme: null } };
  const limit = (name, kind, method) => ({ name, by: { kind }, method, requests: PLENTY, seconds: 60, burst: null, mode: 'enforce' });
  const plan = {
    id: 'bench',
    name: 'Bench',
    description: '',
    covers: [{ apiId: api.id, operations: 'ALL' }],
    rate: { requests: PLENTY, seconds: 60, burst: PLENTY },
    quota: { requests: PLENTY, per: 'day', zone: 'UTC' },
    atOnce: null,
    requestBytes: null,
    mode: 'enforce',
    approval: 'by-hand',
  };
  return {
    ...document,
    plans: [plan],
    limits: [limit('gateway', 'address', 'fixed')],
    apis: [
      {
        ...api,
        schemes: [...api.schemes, scheme],
        access: { kind: 'required', origin: 'hand', alternatives: [[{ scheme: 'k', scopes: [], match: 'all', roles: [] }]] },
        plan: { asked: true, attribute: null },
        limits: [limit('api', 'client', 'sliding')],
      },
    ],
  };
}

/** Without plan and limits: what the key alone costs. */
const keyOnly = (document) => ({
  ...keyed(document),
  limits: [],
  plans: [],
  apis: keyed(document).apis.map((api) => ({ ...api, plan: { asked: false, attribute: null }, limits: [] })),
});

export const CUSTOMER = [
  { what: 'client', id: 'c', value: { id: 'c', name: 'Bench', enabled: true, roles: [], metadata: {} } },
  {
    what: 'credential',
    id: 'k',
    value: { id: 'k', clientId: 'c', kind: 'key', name: 'k', lookup: LOOKUP, digest: null, expiresAt: null, revokedAt: null },
  },
  { what: 'subscription', id: 's', value: { id: 's', clientId: 'c', planId: 'bench', state: 'active', startsAt: null, endsAt: null } },
];

export const KEY_HEADERS = { 'x-key': KEY, accept: 'application/json', 'user-agent': 'bench/1', 'accept-encoding': 'gzip' };

/** What plan and limits cost the decision, in memory, microseconds; and a key against a known token. */
export async function limitCost(portsFor, issuer, rounds) {
  const directory = new Directory(CUSTOMER);
  const ports = closedPorts({ ...(await portsFor(issuer.jwk)), directory: () => directory, counters: new MemoryCounters() });
  const document = release('http://127.0.0.1:9', issuer.issuer);
  const [token, key, limited] = [document, keyOnly(document), keyed(document)].map((one) => compileRelease(one, ports));
  const bearer = { authorization: `Bearer ${await issuer.sign('known')}` };
  const from = { address: '192.0.2.7', via: [], unread: '' };
  const asked = (headers) => new Exchange({ method: 'GET', target: '/bench/group7/things7/G-12', headers: { host: 'x', ...headers }, from });
  const COUNT = 60_000;
  const time = async (compiled, headers) => {
    if ((await decide(compiled, asked(headers))).kind !== 'forward') throw new Error('a good request was refused');
    const begun = performance.now();
    for (let index = 0; index < COUNT; index++) void decide(compiled, asked(headers));
    return ((performance.now() - begun) * 1000) / COUNT;
  };
  const measured = [];
  for (let round = 0; round < rounds + 1; round++) {
    const [byToken, byKey, whole] = [await time(token, bearer), await time(key, { 'x-key': KEY }), await time(limited, { 'x-key': KEY })];
    if (round > 0) measured.push({ keyRatio: byKey / byToken, limitsMicroseconds: whole - byKey });
  }
  return { keyCostRatio: median(measured.map(({ keyRatio }) => keyRatio)), limitsMicroseconds: median(measured.map((one) => one.limitsMicroseconds)) };
}

/** A store on a port of its own; null where there is none on this machine. */
export async function startStore() {
  const port = 20_000 + Math.floor(Math.random() * 10_000);
  const args = ['--port', String(port), '--bind', '127.0.0.1', '--save', '', '--appendonly', 'no', '--dir', mkdtempSync(join(tmpdir(), 'virga-bench-store-'))];
  const child = spawn('redis-server', args, { stdio: 'ignore' });
  const failed = new Promise((resolve) => child.once('error', () => resolve(true)));
  for (let tries = 0; tries < 100; tries++) {
    if (await Promise.race([failed, answers(port)])) break;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  return child.pid === undefined ? null : { url: `redis://127.0.0.1:${port}`, stop: () => child.kill('SIGKILL') };
}

const answers = (port) =>
  new Promise((resolve) => {
    const socket = createConnection(port, '127.0.0.1', () => resolve(socket.end() !== null));
    socket.once('error', () => resolve(false));
  });

/** The route with a key, a plan and two limits, against the bare forwarder in turn. */
export async function keyedRoute({ bare, gateway, rounds, ms, path }) {
  const ask = { path, headers: KEY_HEADERS };
  const measured = await inTurns({ bare: { port: bare.port, ...ask }, 'with key, plan and limits': { port: gateway.port, ...ask } }, { rounds, ms });
  return measured['with key, plan and limits'];
}
