// Tokens never seen before, against the library alone.
import { checkClaims, compileRelease, decide, verifyToken } from '@virga/core';
import { importJWK, jwtVerify } from 'jose';
import { spawnSync } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import { ask, portsFor } from './in-process.mjs';
import { median } from './load.mjs';
import { AUDIENCE, makeIssuer, release } from './world.mjs';

const OWN = fileURLToPath(import.meta.url);
const IN_FLIGHT = 16;
const COUNT = 3000;
/** Tokens that are verified in one way before the next one's turn. */
const SLICE = 150;

const processorTime = () => {
  const { user, system } = process.cpuUsage();
  return user + system;
};

/**
 * In processor time of all threads, what a busy node has least of, with several in flight, as in a gateway.
 * @returns the library's time for each of ours: for verifying, and for all steps of a decision
 */
export const coldTokens = (algorithm, rounds) => measure({ algorithm, rounds, inFlight: IN_FLIGHT, clock: processorTime });

/** One after another on one core, by the clock; null where a process cannot be held to one. */
export function coldTokensOnOneCore(algorithm, rounds) {
  const run = spawnSync('taskset', ['-c', '0', process.execPath, OWN, algorithm, String(rounds)], { encoding: 'utf8', stdio: ['ignore', 'pipe', 'inherit'] });
  return run.status === 0 ? Number(run.stdout) : null;
}

async function measure({ algorithm, rounds, inFlight, clock }) {
  const issuer = await makeIssuer(algorithm);
  const ports = await portsFor(issuer.jwk);
  const key = await importJWK(issuer.jwk, algorithm);
  const options = { algorithms: [algorithm], issuer: issuer.issuer, audience: AUDIENCE, typ: 'at+jwt', clockTolerance: 30 };
  const each = async (some, run) => {
    const queue = some.values();
    const worker = async () => {
      for (const token of queue) await run(token);
    };
    await Promise.all(Array.from({ length: inFlight }, worker));
  };
  const ratios = [];
  for (let round = 0; round < rounds + 1; round++) {
    const tokens = await Promise.all(Array.from({ length: COUNT }, (_, index) => issuer.sign(`${round} ${index}`)));
    const document = release('http://127.0.0.1:9', issuer.issuer);
    const compiled = compileRelease(document, ports);
    const { verifier } = compiled;
    const rule = document.apis[0].token;
    const verify = async (token) => {
      const verified = await verifyToken(token, verifier);
      if ('code' in verified || checkClaims(verified, rule, Date.now()) !== null) throw new Error('a good token was refused');
    };
    const whole = async (token) => {
      if ((await decide(compiled, ask(token))).kind !== 'forward') throw new Error('a good token was refused');
    };
    const alone = (token) => jwtVerify(token, key, options);
    // Until the compiler of the platform has done its work, it would be measured with the rest.
    for (let warm = 0; round === 0 && warm < 3; warm++) for (const run of [alone, verify]) await each(tokens, run);
    // A few at a time and in turn, so that what else the machine does meets all of them alike.
    const times = new Map([alone, verify, whole].map((run) => [run, 0]));
    for (let at = 0; at < COUNT; at += SLICE) {
      for (const run of times.keys()) {
        const from = clock();
        await each(tokens.slice(at, at + SLICE), run);
        times.set(run, times.get(run) + clock() - from);
      }
    }
    if (round > 0) ratios.push([times.get(alone) / times.get(verify), times.get(alone) / times.get(whole)]);
  }
  issuer.close();
  return [median(ratios.map(([verified]) => verified)), median(ratios.map(([, decided]) => decided))];
}

if (process.argv[1] === OWN) {
  const [, , algorithm, rounds] = process.argv;
  const [verified] = await measure({ algorithm, rounds: Number(rounds), inFlight: 1, clock: () => performance.now() });
  console.log(verified);
  process.exit(0);
}
