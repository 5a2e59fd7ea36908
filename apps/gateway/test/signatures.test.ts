import { readKey, readKeySet, verifySignature, WEB_SIGNATURES, type VerificationKey } from '@virga/core';
import fc from 'fast-check';
import { exportJWK, FlattenedSign, generateKeyPair, type JWK } from 'jose';
import { readFileSync } from 'node:fs';
import { NODE_SIGNATURES } from '../src/ports/node-signatures.js';

const fixture = (name: string) => JSON.parse(readFileSync(new URL(`../../../packages/core/test/fixtures/${name}`, import.meta.url), 'utf8')) as never;

async function keysOf(group: { public?: JWK; private?: JWK }): Promise<readonly VerificationKey[]> {
  if (group.public) return (await readKeySet({ keys: [group.public] }))?.keys ?? [];
  const secret = await readKey(group.private as JWK, 'secret');
  return secret ? [secret] : [];
}

/** The two platforms are held to each other; core’s tests hold the other one to the vectors. */
describe('signatures that are checked at once', () => {
  test('Project Wycheproof, JSON Web Signature: all 401 vectors are decided as the other platform decides them', async () => {
    const { testGroups } = fixture('wycheproof/json_web_signature_test.json') as {
      testGroups: { public?: JWK; private?: JWK; tests: { jws: string; tcId: number }[] }[];
    };
    const different: number[] = [];
    let [count, valid] = [0, 0];
    for (const group of testGroups) {
      const keys = await keysOf(group);
      for (const { jws, tcId } of group.tests) {
        let alg = 'unreadable';
        try {
          alg = String((JSON.parse(Buffer.from(jws.split('.')[0] ?? '', 'base64url').toString()) as { alg?: unknown }).alg);
        } catch {
          // Decided as it is.
        }
        const outcomes = [await verifySignature(jws, null, alg, keys, NODE_SIGNATURES), await verifySignature(jws, null, alg, keys, WEB_SIGNATURES)].map(
          ({ outcome }) => outcome,
        );
        if (outcomes[0] !== outcomes[1]) different.push(tcId);
        count++;
        if (outcomes[0] === 'valid') valid++;
      }
    }
    expect([different, count, valid > 30]).toEqual([[], 401, true]);
  });

  test.each(['RS256', 'RS512', 'PS256', 'PS384', 'ES256', 'ES384', 'ES512', 'EdDSA'])('%s: what was signed passes, and no changed byte does', async (alg) => {
    const { privateKey, publicKey } = await generateKeyPair(alg, { extractable: true });
    const key = await readKey({ ...(await exportJWK(publicKey)), alg });
    if (!key) throw new Error('the key cannot be read');
    const {
      protected: head = '',
      payload,
      signature,
    } = await new FlattenedSign(new TextEncoder().encode('{"sub":"a"}')).setProtectedHeader({ alg }).sign(privateKey);
    const outcome = async (input: string, bytes: Uint8Array) =>
      (await verifySignature(`${input}.${Buffer.from(bytes).toString('base64url')}`, null, alg, [key], NODE_SIGNATURES)).outcome;
    const good = Buffer.from(signature, 'base64url');
    expect(await outcome(`${head}.${payload}`, good)).toBe('valid');
    await fc.assert(
      fc.asyncProperty(fc.nat(good.length - 1), fc.integer({ min: 1, max: 255 }), async (at, flip) => {
        const changed = Buffer.from(good);
        changed[at] = (changed[at] ?? 0) ^ flip;
        expect(await outcome(`${head}.${payload}`, changed)).toBe('invalid');
      }),
      { numRuns: 25 },
    );
    for (const bytes of [good.subarray(1), Buffer.concat([good, Buffer.alloc(1)]), Buffer.alloc(0), Buffer.alloc(good.length)])
      expect(await outcome(`${head}.${payload}`, bytes)).toBe('invalid');
  });

  // A signature of RSA is as long as the modulus (RFC 8017 sections 8.1.2 and 8.2.2, step 1, from memory): one in 256 begins with a zero
  // byte, and the platforms take that of PSS without it as well.
  test.each(['PS256', 'RS256'])('%s: a signature without the zero byte that it begins with is none', async (alg) => {
    const { privateKey, publicKey } = await generateKeyPair(alg, { extractable: true });
    const key = await readKey({ ...(await exportJWK(publicKey)), alg });
    if (!key) throw new Error('the key cannot be read');
    for (let number = 0; ; number++) {
      const signed = await new FlattenedSign(new TextEncoder().encode(`{"number":${number}}`)).setProtectedHeader({ alg }).sign(privateKey);
      const bytes = Buffer.from(signed.signature, 'base64url');
      if (bytes[0] !== 0) continue;
      const outcomes = async (signature: Buffer) => {
        const jws = `${signed.protected}.${signed.payload}.${signature.toString('base64url')}`;
        const checks = [NODE_SIGNATURES, WEB_SIGNATURES].map(async (platform) => verifySignature(jws, null, alg, [key], platform));
        return (await Promise.all(checks)).map(({ outcome }) => outcome);
      };
      expect(await outcomes(bytes)).toEqual(['valid', 'valid']);
      expect(await outcomes(bytes.subarray(1))).toEqual(['invalid', 'invalid']);
      expect(await outcomes(Buffer.concat([Buffer.alloc(1), bytes]))).toEqual(['invalid', 'invalid']);
      return;
    }
  });

  test('only what is cheap is checked at once', async () => {
    const of = async (alg: string, options: object = {}) => readKey(await exportJWK((await generateKeyPair(alg, { extractable: true, ...options })).publicKey));
    const [small, large, curve] = [await of('RS256'), await of('RS256', { modulusLength: 4096 }), await of('ES512')];
    if (!small || !large || !curve) throw new Error('the keys cannot be read');
    const signature = new Uint8Array(256);
    expect(NODE_SIGNATURES.check('RS256', small, 'a.b', signature)).toBe(false);
    expect(NODE_SIGNATURES.check('RS256', large, 'a.b', new Uint8Array(512))).toBeInstanceOf(Promise);
    expect(NODE_SIGNATURES.check('ES512', curve, 'a.b', new Uint8Array(132))).toBeInstanceOf(Promise);
  });
});
