import type { JWK } from 'jose';
import { fixture } from '../../test/support.js';
import { readKey, readKeySet } from '../provider/read-key-set.js';
import { verifySignature, type VerificationKey } from './verify-signature.js';

interface Vector {
  readonly tcId: number;
  readonly comment: string;
  readonly jws: string;
  readonly result: 'valid' | 'invalid';
  readonly flags: readonly string[];
}

describe('Project Wycheproof, JSON Web Key: which key of a set may verify', () => {
  const { testGroups } = JSON.parse(fixture('wycheproof/json_web_key_test.json')) as {
    testGroups: { comment: string; public?: { keys: JWK[] }; private?: { keys: JWK[] }; tests: Vector[] }[];
  };

  test.each(testGroups.map((group, index) => [`${index} ${group.comment}`, group] as const))('%s', async (_name, group) => {
    const keys = await keysOf(group.public ?? group.private ?? { keys: [] });
    const accepted: string[] = [];
    const refused: string[] = [];
    // Two secrets under one kid cannot be set here: a provider has one secret.
    for (const vector of group.tests.filter((item) => !item.flags.includes('DuplicateKid'))) {
      const header = JSON.parse(Buffer.from(vector.jws.split('.')[0] ?? '', 'base64url').toString('utf8')) as { alg: string; kid?: string };
      const { outcome } = await verifySignature(vector.jws, header.kid ?? null, header.alg, keys);
      if (outcome === 'valid' && vector.result === 'invalid') accepted.push(`${vector.tcId} ${vector.comment}`);
      if (outcome !== 'valid' && vector.result === 'valid') refused.push(`${vector.tcId} ${vector.comment}`);
    }
    expect({ accepted, refused }).toEqual({ accepted: [], refused: [] });
  });
});

/** Keys that are all symmetric are secrets set by hand; in a published set they are no secret and serve nothing. */
async function keysOf(set: { keys: JWK[] }): Promise<readonly VerificationKey[]> {
  if (!set.keys.every((jwk) => jwk.kty === 'oct')) return (await readKeySet(set))?.keys ?? [];
  const secrets = await Promise.all(set.keys.map((jwk) => readKey(jwk, 'secret')));
  return secrets.filter((key) => key !== null);
}

test('RFC 8037 appendix A.4: the Ed25519 example verifies, and not with a bit changed', async () => {
  const keys = (await readKeySet({ keys: [{ kty: 'OKP', crv: 'Ed25519', x: '11qYAYKxCrfVS_7TyWQHOg7hcvPapiMlrwIaaPcHURo' }] }))?.keys ?? [];
  const jws = 'eyJhbGciOiJFZERTQSJ9.RXhhbXBsZSBvZiBFZDI1NTE5IHNpZ25pbmc.hgyY0il_MGCjP0JzlnLWG1PPOt7-09PGcvMg3AIbQR6dWbhijcNR4ki4iylGjg5BhVsPt9g7sVvpAr_MuM0KAg';
  expect((await verifySignature(jws, null, 'EdDSA', keys)).outcome).toBe('valid');
  expect((await verifySignature(jws.replace('.hg', '.hw'), null, 'EdDSA', keys)).outcome).toBe('invalid');
});
