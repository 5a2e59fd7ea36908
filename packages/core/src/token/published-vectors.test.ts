import { calculateJwkThumbprint, base64url, type JWK } from 'jose';
import { fixture } from '../../test/support.js';
import { readKey, readKeySet } from '../provider/read-key-set.js';
import { verifySignature, type VerificationKey } from './verify-signature.js';

interface Vector {
  readonly tcId: number;
  readonly comment: string;
  readonly jws: string;
  readonly result: 'valid' | 'invalid' | 'acceptable';
}

/** Vectors that are faulty in themselves, or a matter of policy; the rest, 392, must be decided as stated. */
const FAULTY = new Set([367, 370, 372, 373]);
const OTHER_ALGORITHM = new Set([346, 347, 350, 351]);
const POLICY = new Set([375]);
/** Blanks inside base64url, which common libraries let through. */
const BLANKS = [360, 365, 368];

function headerOf(jws: string): { alg: string; kid: string | null } {
  try {
    const header = JSON.parse(new TextDecoder().decode(base64url.decode(jws.split('.')[0] ?? ''))) as { alg?: unknown; kid?: unknown };
    return { alg: String(header.alg), kid: typeof header.kid === 'string' ? header.kid : null };
  } catch {
    return { alg: 'unreadable', kid: null };
  }
}

async function keysOf(group: { public?: JWK; private?: JWK }): Promise<readonly VerificationKey[]> {
  if (group.public) return (await readKeySet({ keys: [group.public] }))?.keys ?? [];
  const secret = await readKey(group.private as JWK, 'secret');
  return secret ? [secret] : [];
}

const decided = async (jws: string, keys: readonly VerificationKey[]): Promise<'valid' | 'invalid'> => {
  const { alg, kid } = headerOf(jws);
  const named = kid !== null && keys.some((key) => key.kid === kid) ? kid : null;
  return (await verifySignature(jws, named, alg, keys)).outcome === 'valid' ? 'valid' : 'invalid';
};

describe('Project Wycheproof, JSON Web Signature', () => {
  const { testGroups } = JSON.parse(fixture('wycheproof/json_web_signature_test.json')) as {
    testGroups: { comment: string; public?: JWK; private?: JWK; tests: Vector[] }[];
  };
  const usable = testGroups
    .flatMap((group) => group.tests.map((vector) => ({ group, vector })))
    .filter(({ vector }) => !FAULTY.has(vector.tcId) && !OTHER_ALGORITHM.has(vector.tcId) && !POLICY.has(vector.tcId));

  test('there are 401 vectors less 9', () => expect(usable).toHaveLength(401 - 9));

  test.each(testGroups.map((group, index) => [`${index} ${group.comment}`, group] as const))('group %s is decided as stated', async (_name, group) => {
    const keys = await keysOf(group);
    const own = usable.filter((item) => item.group === group).map((item) => item.vector);
    const wrong: string[] = [];
    for (const vector of own) {
      const expected = vector.result === 'invalid' ? 'invalid' : 'valid';
      if ((await decided(vector.jws, keys)) !== expected) wrong.push(`${vector.tcId} ${vector.comment}: should be ${vector.result}`);
    }
    expect(wrong).toEqual([]);
  });

  test('keys never serve another algorithm than their own', async () => {
    for (const { tests, ...group } of testGroups) {
      for (const vector of tests.filter((item) => OTHER_ALGORITHM.has(item.tcId))) expect(await decided(vector.jws, await keysOf(group))).toBe('invalid');
    }
  });

  test.each(BLANKS)('vector %i, with blanks inside base64url, is refused', async (id) => {
    const group = testGroups.find((item) => item.tests.some((vector) => vector.tcId === id));
    const vector = group?.tests.find((item) => item.tcId === id);
    expect(await decided(vector?.jws ?? '', await keysOf(group ?? {}))).toBe('invalid');
  });
});

describe('worked examples of the RFCs', () => {
  const example = async (name: string, origin: 'secret' | 'key-set') => {
    const jwk = JSON.parse(fixture(`jose-rfc/${name}.jwk`)) as JWK;
    const { d: _d, p: _p, q: _q, dp: _dp, dq: _dq, qi: _qi, ...published } = jwk;
    const key = await readKey(published, origin);
    return { jws: fixture(`jose-rfc/${name}.jwsc`).trim(), keys: key ? [key] : [] };
  };

  test.each([
    ['RFC 7515 A.1, HS256', 'rfc7515_A.1', 'secret'],
    ['RFC 7515 A.2, RS256', 'rfc7515_A.2', 'key-set'],
    ['RFC 7515 A.3, ES256', 'rfc7515_A.3', 'key-set'],
    ['RFC 7515 A.4, ES512', 'rfc7515_A.4', 'key-set'],
    ['RFC 7520 4.1, RS256', 'rfc7520_4.1', 'key-set'],
    ['RFC 7520 4.2, PS384', 'rfc7520_4.2', 'key-set'],
    ['RFC 7520 4.3, ES512', 'rfc7520_4.3', 'key-set'],
    ['RFC 7520 4.4, HS256', 'rfc7520_4.4', 'secret'],
  ] as const)('%s verifies', async (_name, file, origin) => {
    const { jws, keys } = await example(file, origin);
    expect(await decided(jws, keys)).toBe('valid');
    expect(await decided(jws.slice(0, -3) + (jws.endsWith('AAA') ? 'BBB' : 'AAA'), keys)).toBe('invalid');
  });

  test('RFC 7515 A.5, unsecured, is never accepted', async () => {
    const { keys } = await example('rfc7515_A.2', 'key-set');
    expect(await decided(fixture('jose-rfc/rfc7515_A.5.jwsc').trim(), keys)).toBe('invalid');
  });

  test('RFC 7638 section 3.1, thumbprint', async () => {
    const jwk = JSON.parse(fixture('jose-rfc/rfc7638_3.1.jwk')) as JWK;
    const key = await readKey(jwk);
    expect(key?.thumbprint).toBe(fixture('jose-rfc/rfc7638_3.1.thp').trim());
    expect(key?.thumbprint).toBe(await calculateJwkThumbprint(jwk));
  });

  test('RFC 7517 A.1 is read; A.2 and A.3, with private and symmetric keys, are refused by name', async () => {
    const read = async (name: string) => readKeySet(JSON.parse(fixture(`jose-rfc/${name}.jwkset`)));
    const published = await read('rfc7517_A.1');
    // The EC key of the example is for encryption.
    expect(published?.keys.map((key) => key.kid)).toEqual(['2011-04-29']);
    expect(published?.refused.map((key) => key.reason)).toEqual([expect.stringContaining('"enc"')]);
    expect((await read('rfc7517_A.2'))?.refused.map((key) => key.reason)).toEqual([
      expect.stringContaining('private part'),
      expect.stringContaining('private part'),
    ]);
    expect((await read('rfc7517_A.3'))?.keys).toEqual([]);
  });
});
