import type { Principal } from '../token/principal.js';
import { composeCaller } from './caller.js';
import type { Credential } from './sent-credential.js';

const key = (roles: readonly string[]): Credential => ({
  kind: 'key',
  scheme: 'k',
  holder: {
    client: { id: 'a', name: 'A', enabled: true, roles, metadata: {} },
    credential: { id: '1', clientId: 'a', kind: 'key', name: 'one', lookup: 'x', digest: null, expiresAt: null, revokedAt: null },
  },
});
const token = (roles: readonly string[]): Credential => {
  const principal = { providerId: 'p', issuer: 'https://issuer.example', subject: 's', client: 'c', scopes: [], roles, attributes: {} } as unknown as Principal;
  return { kind: 'token', token: { principal }, holder: null } as unknown as Credential;
};

describe('the roles of a caller', () => {
  test.each<[string, readonly Credential[], readonly string[]]>([
    ['of the directory alone', [key(['reader', 'writer'])], ['reader', 'writer']],
    ['of a token alone', [token(['rider'])], ['rider']],
    ['of both, each once', [key(['reader', 'rider']), token(['rider', 'owner'])], ['reader', 'rider', 'owner']],
    ['of a client that has none, with a token', [key([]), token(['rider'])], ['rider']],
    ['of a client that is named twice by its operator', [key(['reader', 'reader'])], ['reader']],
    ['of nobody', [key([]), token([])], []],
  ])('%s', (_name, credentials, roles) => expect(composeCaller(credentials)?.roles).toEqual(roles));

  test('nothing proved is nobody', () => expect(composeCaller([])).toBeNull());
});
