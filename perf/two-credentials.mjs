import { compileRelease, decide, Directory, Exchange } from '@virga/core';
import { hash } from 'node:crypto';
import { median } from './load.mjs';
import { makeIssuer, release } from './world.mjs';

/** A key and a token in one request against the token alone, all steps of the decision. */
export async function twoCredentials(portsFor, rounds) {
  const issuer = await makeIssuer();
  const key = 'a-key-of-the-bench-that-is-long-enough';
  const lookup = hash('sha256', key, 'base64url');
  const client = { id: 'c', name: 'Rider tablet', enabled: true, roles: ['reader'], metadata: {} };
  const directory = new Directory([
    { what: 'client', id: 'c', value: client },
    { what: 'credential', id: 'k', value: { id: 'k', clientId: 'c', kind: 'key', name: 'first', lookup, digest: null, expiresAt: null, revokedAt: null } },
  ]);
  const ports = { ...(await portsFor(issuer.jwk)), directory: () => directory };
  const token = await issuer.sign('known');
  const document = release('http://127.0.0.1:9', issuer.issuer);
  const [api] = document.apis;
  const scheme = { name: 'k', type: 'apiKey', declared: 'apiKey', metadataUrl: null, providers: [], place: { kind: 'header', name: 'x-key', scheme: null } };
  const [[needed]] = api.access.alternatives;
  const both = { ...api.access, alternatives: [[needed, { scheme: 'k', scopes: [], match: 'all', roles: [] }]] };
  const one = compileRelease(document, ports);
  const two = compileRelease({ ...document, apis: [{ ...api, schemes: [...api.schemes, scheme], access: both }] }, ports);
  const target = '/bench/group7/things7/G-12';
  const asked = (keys) => new Exchange({ method: 'GET', target, headers: { host: 'x', authorization: `Bearer ${token}`, ...keys } });
  const time = async (compiled, keys) => {
    if ((await decide(compiled, asked(keys))).kind !== 'forward') throw new Error('a good request was refused');
    const from = performance.now();
    for (let index = 0; index < 40_000; index++) void decide(compiled, asked(keys));
    return performance.now() - from;
  };
  const ratios = [];
  for (let round = 0; round < rounds + 1; round++) {
    const single = await time(one, {});
    const pair = await time(two, { 'x-key': key });
    if (round > 0) ratios.push(pair / single);
  }
  issuer.close();
  return { twoCredentialsRatio: median(ratios) };
}
