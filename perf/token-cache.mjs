// Fills the cache of verified tokens and says what one entry costs. Run with --expose-gc.
import { closedPorts, compileRelease, vouched } from '@virga/core';
import { createHash } from 'node:crypto';
import { AUDIENCE, release } from './world.mjs';

const COUNT = 100_000;
const issuer = 'https://sign-in.example';
const keys = { held: () => ({ generation: 1, state: 'fresh', keys: [] }), refetch: () => Promise.resolve({ generation: 1, state: 'fresh', keys: [] }) };
const compiled = compileRelease(release('http://127.0.0.1:9', issuer, 1), closedPorts({ now: Date.now, ticks: () => 0, digest: (text) => text, keys }));
const trusted = compiled.verifier.byIssuer.get(issuer);
const now = Math.floor(Date.now() / 1000);
const used = () => {
  globalThis.gc();
  globalThis.gc();
  return process.memoryUsage().heapUsed;
};
const before = used();
for (let index = 0; index < COUNT; index++) {
  // Parsed anew each time, as every token is.
  const header = JSON.parse('{"alg":"RS256","kid":"bench-1","typ":"at+jwt"}');
  const claims = JSON.parse(
    JSON.stringify({
      iss: issuer,
      aud: AUDIENCE,
      sub: `grower.${index}`,
      client_id: `client-${index % 50}`,
      iat: now,
      exp: now + 3600,
      jti: `token-number-${index}`,
      scope: 'gates:read gates:operate',
      roles: ['rider'],
    }),
  );
  compiled.tokenCache.keep(
    createHash('sha256').update(String(index)).digest('base64url'),
    vouched(trusted, { kind: 'jws', header, claims }, 1, null),
    Date.now(),
  );
}
const bytes = used() - before;
process.send?.({ port: 1, tokens: compiled.tokenCache.size, bytes });
if (!process.send) console.log(`${compiled.tokenCache.size} tokens, ${(bytes / 1e6).toFixed(1)} MB, ${Math.round(bytes / COUNT)} bytes each`);
