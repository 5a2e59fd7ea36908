import {
  AnswerMemory,
  closedPorts,
  compileRedactor,
  compileRelease,
  decide,
  Directory,
  entryOf,
  Exchange,
  finding,
  interpreters,
  readKey,
  ScriptSandbox,
} from '@virga/core';
import variant from '@jitl/quickjs-wasmfile-release-sync';
import { createHash, randomUUID } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { exportJWK, generateKeyPair, SignJWT } from 'jose';
import { Recorder } from '../apps/gateway/dist/records/recorder.js';
import { heldContracts, throughContract } from './conformance.mjs';
import { simulatedSubscriptions } from './plans.mjs';
import { HistoryDesk } from './sightings.mjs';
import { nextCall, ownProof } from './calls.mjs';
import { seededRandom } from './random.mjs';

const HOURS = 6;
const MINUTE_MS = 60_000;
const MINUTES_OF_BATCH = 10;
const SEED = 217;

/**
 * Makes some hours of history: composed requests are decided by the gateway's own code under a simulated clock, and
 * recorded by the gateway's own recorder. Tokens are signed by a key made here, which only this simulation trusts.
 */
export async function writeHistory(control, nodeToken, standins, made) {
  const random = seededRandom(SEED);
  const clock = { now: 0 };
  const live = await liveRelease(control);
  const [signIn, , , registry] = standins;
  const signer = await makeSigner(signIn.issuer, 'RS256', 'basin-1');
  signer.partner = await makeSigner(registry.issuer, 'ES256', 'registry-1');
  const keysOf = { [signIn.issuer]: signer.key, [registry.issuer]: signer.partner.key };
  const held = new Map(live.document.providers.map(({ id, issuer }) => [id, { generation: 1, state: 'fresh', keys: [keysOf[issuer]].filter(Boolean) }]));
  const directory = await simulatedDirectory(control, made);
  const release = compileRelease(
    live.document,
    closedPorts({
      now: () => clock.now,
      ticks: () => performance.now(),
      digest: sha256,
      keys: { held: (id) => held.get(id), refetch: ({ id }) => Promise.resolve(held.get(id)) },
      directory: () => directory,
      contracts: await heldContracts(control),
      authorizers: await simulatedAuthorizers(),
      introspection: { ask: (_provider, token) => Promise.resolve({ outcome: 'answered', status: 200, document: contractorSays(token) }) },
    }),
  );
  const end = Date.now() - 1000;
  const recorder = new Recorder('local');
  const desk = new HistoryDesk(live.document);
  const answers = new Map();
  let written = Promise.resolve();
  for (let minute = HOURS * 60; minute > 0; minute--) {
    const from = end - minute * MINUTE_MS;
    const count = callsOfMinute(random, HOURS * 60 - minute);
    for (let index = 0; index < count; index++) {
      clock.now = Math.floor(from + (index * MINUTE_MS) / count);
      const call = nextCall(random);
      for (let again = burstOf(call, random); again >= 0; again--)
        await oneCall(call, release, live.number, recorder, signer, clock.now, random, made, answers, desk);
    }
    if (minute % MINUTES_OF_BATCH !== 1) continue;
    // The control plane writes one part while the next is made.
    await written;
    written = flush(control, nodeToken, recorder);
    written.catch(() => undefined);
  }
  await written;
  await desk.tell(control, nodeToken);
}

/** Some come in bursts, which limits hold up: a page that many open at once, a rider who tries a gate again and again. */
function burstOf({ caller, method, path }, random) {
  if (caller?.proves === 'key') return random.next() < 0.05 ? 8 : 0;
  return method === 'POST' && path.endsWith('/positions') && random.next() < 0.08 ? 8 : 0;
}

/** What the provider says of people beside their names. */
const PEOPLE = {
  'rider.north': { roles: ['rider'], sections: ['north-1', 'north-2'] },
  'rider.south': { roles: ['rider'], sections: ['south-1'] },
  'dispatcher.one': { roles: ['dispatcher'] },
  'grower.217': { roles: ['grower'] },
};

const sha256 = (text) => createHash('sha256').update(text).digest('base64url');

/** Clients as the control plane has them, with what they were given. */
async function simulatedDirectory(control, made) {
  const { items } = await control.get('/clients');
  const tables = await Promise.all(['lockouts', 'gates'].map((id) => control.get(`/tables/${id}`)));
  const [name, secret] = made.billing.split(':');
  const idOf = async (clientId) => (await control.get(`/clients/${clientId}`)).credentials[0].id;
  const [site, billing] = await Promise.all(['open-data-site', 'old-billing-job'].map(idOf));
  const credential = (id, clientId, kind, lookup, digest) => ({
    what: 'credential',
    id,
    value: { id, clientId, kind, name: kind === 'key' ? 'site, since spring' : name, lookup, digest, expiresAt: null, revokedAt: null },
  });
  return new Directory([
    ...items.map(({ id, name: called, enabled, roles }) => ({ what: 'client', id, value: { id, name: called, enabled, roles, metadata: {} } })),
    ...tables.map(({ name: id, key, columns, rows }) => ({ what: 'table', id, value: { id, key, columns, rows } })),
    credential(site, 'open-data-site', 'key', sha256(made.openDataKey), null),
    ...(await simulatedSubscriptions(control)),
    credential(billing, 'old-billing-job', 'basic', name, sha256(secret)),
  ]);
}

/** Scripts run in this process, by the gateway's own sandbox. */
async function simulatedAuthorizers() {
  const program = createRequire(import.meta.url).resolve('@jitl/quickjs-wasmfile-release-sync/wasm');
  const load = await interpreters(variant, new Uint8Array(readFileSync(program)));
  const opened = new Map();
  return {
    run: async ({ identity, script }, call) => {
      if (!opened.has(identity)) opened.set(identity, await ScriptSandbox.open(load, script, { passed: () => performance.now(), worked: () => null }));
      return opened.get(identity).run(call);
    },
    ask: () => Promise.resolve({ kind: 'unavailable', says: 'no service is asked in this simulation' }),
    answers: new AnswerMemory(),
    told: () => undefined,
  };
}

/** A calm day with a swell and one burst. */
function callsOfMinute(random, minute) {
  const swell = 26 + 14 * Math.sin(minute / 37) + random.below(9);
  const burst = minute > 338 && minute < 346 ? 70 : 0;
  return Math.max(4, Math.round(swell + burst));
}

async function liveRelease(control) {
  const { live } = await control.get('/standing');
  return { number: live.number, document: await control.get(`/releases/${live.number}/document`) };
}

/** What the contractor says of its tokens: those with “void” in them are no longer good. */
const contractorSays = (token) =>
  token.includes('void')
    ? { active: false }
    : {
        active: true,
        aud: 'https://headgates.velmora.example',
        scope: 'gates:read',
        client_id: 'inspection-kit',
        crew: 'inspection,north-bank',
        contractor: 'dunlin',
      };

async function makeSigner(issuer, alg, kid) {
  const { privateKey, publicKey } = await generateKeyPair(alg);
  const jwk = { ...(await exportJWK(publicKey)), kid, alg, use: 'sig' };
  const tokens = new Map();
  const sign = (claims, typ) => new SignJWT(claims).setProtectedHeader({ alg, kid, typ }).setIssuer(issuer).sign(privateKey);
  return { key: await readKey(jwk), sign, tokens };
}

async function tokenFor(call, signer, now) {
  const { caller, proof } = call;
  if (!caller || caller.proves || proof === 'none') return null;
  if (caller.house === 'Dunlin Fieldworks') return `${proof === 'good' ? 'kit' : 'void'}-${Math.floor(now / (10 * MINUTE_MS))}-token-of-the-inspection`;
  const own = caller.house === 'State Water Registry' ? signer.partner : signer;
  const slot = Math.floor(now / (10 * MINUTE_MS));
  const name = `${caller.subject} ${caller.audience} ${proof} ${slot}`;
  let token = signer.tokens.get(name);
  if (!token) {
    const iat = slot * 600 - (proof === 'expired' ? 4000 : 0);
    const claims = {
      sub: caller.subject,
      client_id: caller.client,
      iat,
      exp: iat + 1260,
      jti: name,
      ...(PEOPLE[caller.subject] ?? {}),
      ...(own === signer ? { scope: caller.scope } : { scp: caller.scope.split(' '), org: 'state-water', registry: { access: { roles: ['partner-agency'] } } }),
      aud: proof === 'other-audience' ? 'https://elsewhere.velmora.example' : caller.audience,
    };
    token = await (proof === 'id-token'
      ? own.sign({ sub: caller.subject, aud: caller.client, iat, exp: iat + 1260, nonce: `n-${slot}` }, 'JWT')
      : own.sign(claims, 'at+jwt'));
    if (proof === 'tampered')
      token = token.replace(/\.(.)/, (_, first) => `.${first}`).replace(/.{20}$/, (tail) => tail.replace(/[A-Z]/, (c) => (c === 'A' ? 'B' : 'A')));
    if (proof === 'cut') token = token.slice(0, token.lastIndexOf('.'));
    if (signer.tokens.size > 500) signer.tokens.clear();
    signer.tokens.set(name, token);
  }
  return token;
}

async function oneCall(call, release, number, recorder, signer, now, random, made, answers, desk) {
  const token = await tokenFor(call, signer, now);
  const headers = {
    host: '127.0.0.1',
    accept: 'application/json',
    'user-agent': call.caller?.client ?? 'unknown',
    ...(token ? { authorization: `Bearer ${token}` } : {}),
    ...ownProof(call, made),
    ...(call.body ? { 'content-type': 'application/json' } : {}),
  };
  const exchange = new Exchange({
    method: call.method,
    target: call.path,
    headers,
    body: call.body ? { bytes: JSON.stringify(call.body).length } : null,
    origin: 'http://127.0.0.1',
    from: { address: call.address, via: ['127.0.0.1'], unread: '' },
  });
  const startedAt = performance.now();
  const verdict = await decide(release, exchange);
  let status = 200;
  let { finding: found } = verdict;
  let upstreamMs = 0;
  if (verdict.kind === 'forward') {
    status = call.method === 'POST' ? 201 : 200;
    upstreamMs = 2 + random.next() * 9;
    found = finding('upstream.answered', { status, address: new URL(exchange.api.rule.upstream.url).host });
    exchange.took('upstream', found, upstreamMs);
    const passed = await throughContract(release, exchange, call, answers);
    status = passed.status ?? status;
    found = passed.finding ?? found;
    if (passed.answer) desk.see(exchange, call, now, passed.answer, passed.finding ? 'no' : 'whole');
  } else status = statusOf(found);
  recorder.finish(exchange, {
    id: `demo${createHash('sha256').update(`${now} ${call.path} ${random.next()}`).digest('hex').slice(0, 16)}`,
    traceparent: '',
    at: now,
    release: number,
    address: call.address,
    status,
    found,
    requestHeaders: headers,
    responseHeaders: ['content-type', verdict.kind === 'forward' ? 'application/json' : 'application/problem+json'],
    requestBytes: call.body ? JSON.stringify(call.body).length : 0,
    responseBytes: 180,
    totalMs: performance.now() - startedAt + upstreamMs,
    redactor: REDACTOR,
  });
  exchange.end();
}

const REDACTOR = compileRedactor();
const statusOf = (found) => entryOf(found.code).status ?? 204;

async function flush(control, nodeToken, recorder) {
  const batches = [];
  for (let batch = recorder.takeBatch(); batch; batch = recorder.takeBatch()) batches.push(batch);
  for (const batch of batches) await control.call('POST', '/nodes/v1/records', { id: randomUUID(), node: 'history', ...batch }, nodeToken);
}
