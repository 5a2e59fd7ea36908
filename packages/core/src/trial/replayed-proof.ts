import { calculateJwkThumbprint, exportJWK, generateKeyPair, SignJWT, type CryptoKey, type JWK } from 'jose';
import type { CompiledOperation } from '../decision/compiled.js';
import { pathOf, SUPPOSED_ORIGIN } from '../suppose/supposed-request.js';
import type { Supposition, SupposedOutcome } from '../suppose/supposition.js';
import { meeting, plainCall } from './favoured-call.js';

let pair: Promise<{ readonly privateKey: CryptoKey; readonly jwk: JWK; readonly jkt: string }> | null = null;

async function makePair(): Promise<Awaited<NonNullable<typeof pair>>> {
  const { privateKey, publicKey } = await generateKeyPair('ES256', { extractable: true });
  const jwk = await exportJWK(publicKey);
  return { privateKey, jwk, jkt: await calculateJwkThumbprint(jwk) };
}

let made = 0;

/**
 * Sends a call with a genuine proof of possession (RFC 9449 section 4.2) twice. @returns what came of the second; null where no
 * token is taken, or where the first did not get as far as its proof
 */
export async function replayedProof(supposition: Supposition, operation: CompiledOperation, nowMs: number): Promise<SupposedOutcome | null> {
  const { rights, token: rule } = operation;
  const [place] = rule.places;
  if (!rights?.kinds.has('token') || place?.kind !== 'header' || place.scheme?.toLowerCase() !== 'bearer') return null;
  const alternative = rights.alternatives.find((one) => one.length === 1 && one[0]?.kind === 'token');
  const [credential] = (alternative && meeting(operation, alternative, supposition.release.document.providers, nowMs)) ?? [];
  if (credential?.kind !== 'token') return null;
  const { privateKey, jwk, jkt } = await (pair ??= makePair());
  const bound = { ...credential, claims: { ...credential.claims, cnf: { jkt } } };
  const claims = { htm: operation.rule.method, htu: SUPPOSED_ORIGIN + pathOf(operation, {}), ath: supposition.textOf(bound), jti: `trial-${++made}` };
  const proof = await new SignJWT(claims)
    .setProtectedHeader({ alg: 'ES256', typ: 'dpop+jwt', jwk })
    .setIssuedAt(Math.floor(nowMs / 1000))
    .sign(privateKey);
  const call = plainCall(operation, [bound], nowMs);
  const sent = { ...call, request: { ...call.request, headers: { dpop: proof } } };
  const first = await supposition.decide(sent);
  if (!first.exchange.steps.some(({ finding }) => finding.code === 'proof.verified')) return null;
  return supposition.decide(sent);
}
