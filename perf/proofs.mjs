import { compileRelease, decide, Exchange, verifyProof } from '@virga/core';
import { calculateJwkThumbprint, compactVerify, exportJWK, generateKeyPair, importJWK, SignJWT } from 'jose';
import { createHash } from 'node:crypto';

const URL_ASKED = 'https://bench.example/bench/things';

/** Proofs of one key, each good for one use. */
export async function makeProofs(count, token) {
  const { privateKey, publicKey } = await generateKeyPair('ES256', { extractable: true });
  const jwk = await exportJWK(publicKey);
  const tokenHash = createHash('sha256').update(token).digest('base64url');
  const proofs = [];
  for (let index = 0; index < count; index++) {
    proofs.push(
      await new SignJWT({ jti: String(index), htm: 'GET', htu: URL_ASKED, ath: tokenHash })
        .setIssuedAt()
        .setProtectedHeader({ typ: 'dpop+jwt', alg: 'ES256', jwk })
        .sign(privateKey),
    );
  }
  return { proofs, facts: { method: 'GET', url: URL_ASKED, thumbprint: await calculateJwkThumbprint(jwk), tokenHash, acceptsNonce: null } };
}

/** What any verifier has to do: take the key out, verify the signature, compare its thumbprint. */
export async function verifyAlone(proof) {
  const { jwk } = JSON.parse(Buffer.from(proof.split('.')[0], 'base64url').toString('utf8'));
  await compactVerify(proof, await importJWK(jwk, 'ES256'));
  return calculateJwkThumbprint(jwk);
}

export async function verifyWhole(proof, facts) {
  const verified = await verifyProof(proof, { ...facts, nowMs: Date.now() });
  if ('code' in verified) throw new Error(`a good proof was refused: ${verified.code}`);
}

/** Many requests with few opaque tokens at once. @returns calls at the endpoint for each token */
export async function askTogether(release, ports, tokens, requestsEach) {
  const compiled = compileRelease(release, ports);
  const asks = tokens.flatMap((token) =>
    Array.from({ length: requestsEach }, () =>
      decide(compiled, new Exchange({ method: 'GET', target: '/bench/group7/things7/G-12', headers: { host: 'x', authorization: `Bearer ${token}` } })),
    ),
  );
  const verdicts = await Promise.all(asks);
  if (verdicts.some((verdict) => verdict.kind !== 'forward')) throw new Error('an active token was refused');
}
