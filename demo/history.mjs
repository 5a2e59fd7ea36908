import { closedPorts, compileRelease, decide, entryOf, Exchange, finding, readKey } from '@virga/core';
import { createHash, randomUUID } from 'node:crypto';
import { exportJWK, generateKeyPair, SignJWT } from 'jose';
import { Recorder } from '../apps/gateway/dist/records/recorder.js';
import { nextCall } from './calls.mjs';
import { seededRandom } from './random.mjs';

const HOURS = 6;
const MINUTE_MS = 60_000;
const SEED = 217;

/**
 * Makes some hours of history: composed requests are decided by the gateway's own code under a simulated clock, and
 * recorded by the gateway's own recorder. Tokens are signed by a key made here, which only this simulation trusts.
 */
export async function writeHistory(control, nodeToken, standins) {
  const random = seededRandom(SEED);
  const clock = { now: 0 };
  const live = await liveRelease(control);
  const signer = await makeSigner(live.document, standins[0].issuer);
  const held = { generation: 1, state: 'fresh', keys: [signer.key] };
  const release = compileRelease(
    live.document,
    closedPorts({
      now: () => clock.now,
      ticks: () => performance.now(),
      digest: (text) => createHash('sha256').update(text).digest('base64url'),
      keys: { held: () => held, refetch: () => Promise.resolve(held) },
    }),
  );
  const end = Date.now() - 1000;
  const recorder = new Recorder('local');
  for (let minute = HOURS * 60; minute > 0; minute--) {
    const from = end - minute * MINUTE_MS;
    const count = callsOfMinute(random, HOURS * 60 - minute);
    for (let index = 0; index < count; index++) {
      clock.now = Math.floor(from + (index * MINUTE_MS) / count);
      await oneCall(nextCall(random), release, live.number, recorder, signer, clock.now, random);
    }
    await flush(control, nodeToken, recorder);
  }
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

async function makeSigner(document, issuer) {
  const { privateKey, publicKey } = await generateKeyPair('RS256');
  const jwk = { ...(await exportJWK(publicKey)), kid: 'basin-1', alg: 'RS256', use: 'sig' };
  const tokens = new Map();
  const sign = (claims, typ) => new SignJWT(claims).setProtectedHeader({ alg: 'RS256', kid: 'basin-1', typ }).setIssuer(issuer).sign(privateKey);
  return { key: await readKey(jwk), sign, tokens };
}

async function tokenFor(call, signer, now) {
  const { caller, proof } = call;
  if (!caller || proof === 'none') return null;
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
      scope: caller.scope,
      aud: proof === 'other-audience' ? 'https://elsewhere.velmora.example' : caller.audience,
    };
    token = await (proof === 'id-token'
      ? signer.sign({ sub: caller.subject, aud: caller.client, iat, exp: iat + 1260, nonce: `n-${slot}` }, 'JWT')
      : signer.sign(claims, 'at+jwt'));
    if (proof === 'tampered')
      token = token.replace(/\.(.)/, (_, first) => `.${first}`).replace(/.{20}$/, (tail) => tail.replace(/[A-Z]/, (c) => (c === 'A' ? 'B' : 'A')));
    if (proof === 'cut') token = token.slice(0, token.lastIndexOf('.'));
    if (signer.tokens.size > 500) signer.tokens.clear();
    signer.tokens.set(name, token);
  }
  return token;
}

async function oneCall(call, release, number, recorder, signer, now, random) {
  const token = await tokenFor(call, signer, now);
  const headers = {
    host: '127.0.0.1',
    accept: 'application/json',
    'user-agent': call.caller?.client ?? 'unknown',
    ...(token ? { authorization: `Bearer ${token}` } : {}),
  };
  const exchange = new Exchange({ method: call.method, target: call.path, headers });
  const startedAt = performance.now();
  const verdict = await decide(release, exchange);
  let status = 200;
  let { finding: found } = verdict;
  let upstreamMs = 0;
  if (verdict.kind === 'forward') {
    status = call.method === 'POST' ? 201 : 200;
    upstreamMs = 2 + random.next() * 9;
    found = finding('upstream.answered', { status, address: new URL(exchange.api.rule.upstream.url).host });
    exchange.steps.push({ step: 'upstream', finding: found, tookMs: upstreamMs });
  } else status = statusOf(found);
  recorder.finish(exchange, {
    id: `demo${createHash('sha256').update(`${now} ${call.path} ${random.next()}`).digest('hex').slice(0, 16)}`,
    traceId: '',
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
  });
}

const statusOf = (found) => entryOf(found.code).status ?? 204;

async function flush(control, nodeToken, recorder) {
  for (let batch = recorder.takeBatch(); batch; batch = recorder.takeBatch()) {
    await control.call('POST', '/nodes/v1/records', { id: randomUUID(), node: 'history', ...batch }, nodeToken);
  }
}
