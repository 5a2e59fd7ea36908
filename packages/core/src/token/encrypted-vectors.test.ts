import { type JWK } from 'jose';
import { fixture } from '../../test/support.js';
import { openEncrypted, readOpeningKeys } from './open-encrypted.js';

const open = async (jwe: string, key: JWK | { keys: JWK[] }): Promise<string> => {
  const result = await openEncrypted(jwe, readOpeningKeys(JSON.stringify(key)) ?? []);
  return typeof result === 'string' ? `opened ${result}` : result.code;
};

describe('RFC 7520 section 5, nested by nobody: the plain text comes out', () => {
  test.each([
    ['5.2', 'RSA-OAEP'],
    ['5.4', 'ECDH-ES+A128KW'],
    ['5.5', 'ECDH-ES'],
    ['5.6', 'dir'],
    ['5.7', 'A256GCMKW'],
    ['5.8', 'A128KW'],
  ])('%s %s', async (section) => {
    const key = JSON.parse(fixture(`jose-rfc/rfc7520_${section}.jwk`)) as JWK;
    const { alg: _alg, use: _use, key_ops: _operations, ...bare } = key;
    expect(await open(fixture(`jose-rfc/rfc7520_${section}.jwec`).trim(), bare)).toBe(`opened ${fixture(`jose-rfc/rfc7520_${section}.pt`)}`);
  });

  test.each([
    ['5.1', 'RSA1_5, open to padding oracles (RFC 8725 section 3.2)'],
    ['5.3', 'PBES2, whose cost the sender chooses (RFC 8725 section 3.4)'],
    ['5.9', 'compressed (RFC 8725 section 3.6)'],
  ])('%s is refused: %s', async (section) => {
    const key = JSON.parse(fixture(`jose-rfc/rfc7520_${section === '5.3' ? '5.8' : section}.jwk`)) as JWK;
    expect(await open(fixture(`jose-rfc/rfc7520_${section}.jwec`).trim(), key)).toBe('token.encryption-refused');
  });
});

interface Vector {
  readonly tcId: number;
  readonly comment: string;
  readonly jwe?: unknown;
  readonly pt?: string;
  readonly result: 'valid' | 'invalid';
  readonly flags: readonly string[];
}

describe('Project Wycheproof, JSON Web Encryption', () => {
  const { testGroups } = JSON.parse(fixture('wycheproof/json_web_encryption_test.json')) as {
    testGroups: { comment: string; private: JWK; tests: Vector[] }[];
  };
  const vectors = testGroups.flatMap((group) => group.tests.map((vector) => ({ key: group.private, vector })));
  /** Valid by the standard and refused here on purpose: RSA1_5, compression; and serialisations other than the compact one. */
  const byPolicy = ({ key, vector }: (typeof vectors)[number]) =>
    key.alg === 'RSA1_5' || vector.flags.includes('CompressedPlaintext') || typeof vector.jwe !== 'string' || vector.jwe.startsWith('{');

  test('there are 139', () => expect(vectors).toHaveLength(139));

  test('nothing that is invalid opens', async () => {
    const opened: string[] = [];
    for (const { key, vector } of vectors.filter((item) => item.vector.result === 'invalid')) {
      if ((await open(String(vector.jwe), key)).startsWith('opened')) opened.push(`${vector.tcId} ${vector.comment}`);
    }
    expect(opened).toEqual([]);
  });

  test('all that is valid opens to its plain text, but for what is refused on purpose', async () => {
    const valid = vectors.filter((item) => item.vector.result === 'valid');
    const wrong: string[] = [];
    let tried = 0;
    for (const item of valid) {
      const plain = Buffer.from(item.vector.pt ?? '', 'hex');
      const text = plain.toString('utf8');
      const isText = Buffer.from(text, 'utf8').equals(plain);
      const found = await open(String(item.vector.jwe), item.key);
      if (byPolicy(item)) {
        if (found.startsWith('opened')) wrong.push(`${item.vector.tcId} opened against the policy`);
        continue;
      }
      if (!isText) continue;
      tried++;
      if (found !== `opened ${text}`) wrong.push(`${item.vector.tcId} ${item.vector.comment}: ${found}`);
    }
    expect(wrong).toEqual([]);
    expect(tried).toBeGreaterThan(40);
  });
});
