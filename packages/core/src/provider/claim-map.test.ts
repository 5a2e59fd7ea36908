import fc from 'fast-check';
import { providerRule } from '../../test/support.js';
import { sourceOf, STANDARD_CLAIM_MAP, type ClaimMap, type ClaimSource } from '../document/claim-map.js';
import { ConfigError } from '../util/config-error.js';
import { compileClaimMap } from './compile-claim-map.js';

const mapped = (change: Partial<ClaimMap>, claims: Record<string, unknown>) =>
  compileClaimMap(providerRule({ claimMap: { ...STANDARD_CLAIM_MAP, ...change } }))(claims);
const from = (paths: string[], change: Partial<ClaimSource> = {}): ClaimSource => ({ ...sourceOf(paths), ...change });

describe('a claim map', () => {
  test('reads what the standards spell when nothing is set (RFC 9068 section 2.2)', () => {
    const claims = { sub: 's', client_id: 'c', scope: 'a b', roles: ['r'], groups: ['g'], acr: '1', amr: ['pwd', 'otp'], auth_time: 1_700_000_000 };
    expect(mapped({}, claims)).toMatchObject({
      subject: 's',
      client: 'c',
      scopes: ['a', 'b'],
      roles: ['r'],
      groups: ['g'],
      acr: '1',
      amr: ['pwd', 'otp'],
      authTime: 1_700_000_000,
      tenant: null,
    });
  });

  test.each<[string, ClaimSource, Record<string, unknown>, string[]]>([
    ['a nested array by JSON Pointer', from(['/registry/access/roles']), { registry: { access: { roles: ['partner'] } } }, ['partner']],
    ['a claim whose name is a URI', from(['https://ids.example/roles']), { 'https://ids.example/roles': ['a'] }, ['a']],
    ['a claim whose name has a dot', from(['x.roles']), { 'x.roles': 'a', x: { roles: 'b' } }, ['a']],
    ['a slash in a name, escaped in the pointer', from(['/a~1b/c']), { 'a/b': { c: 'v' } }, ['v']],
    ['an entry of an array', from(['/list/1']), { list: ['a', 'b'] }, ['b']],
    ['the first path that yields', from(['none', 'second', 'third']), { second: 's', third: 't' }, ['s']],
    ['a text with commas', from(['crew'], { split: 'comma' }), { crew: 'inspection, north-bank' }, ['inspection', 'north-bank']],
    ['one text that is not split', from(['name']), { name: 'a b' }, ['a b']],
    [
      'a prefix taken off',
      from(['scp'], { stripPrefixes: ['https://api.example/', 'api:'] }),
      { scp: ['https://api.example/read', 'api:write', 'x'] },
      ['read', 'write', 'x'],
    ],
    ['a prefix that is the whole value stays', from(['scp'], { stripPrefixes: ['api:'] }), { scp: ['api:'] }, ['api:']],
    ['a table, others kept', from(['groups'], { table: [{ from: 'g-1', to: ['rider', 'staff'] }] }), { groups: ['g-1', 'g-2'] }, ['rider', 'staff', 'g-2']],
    ['a table, others dropped', from(['groups'], { table: [{ from: 'g-1', to: ['rider'] }], unlisted: 'drop' }), { groups: ['g-1', 'g-2'] }, ['rider']],
    ['a fallback when nothing is there', from(['roles'], { fallback: ['guest'] }), {}, ['guest']],
    ['a fallback when an empty list is there', from(['roles'], { fallback: ['guest'] }), { roles: [] }, ['guest']],
    ['nothing when what is there cannot be read', from(['roles'], { fallback: ['guest'] }), { roles: { admin: true } }, []],
    ['nothing when no item of a list can be read', from(['roles'], { fallback: ['guest'] }), { roles: [{}, null] }, []],
    ['nothing when the first of two cannot be read', from(['roles', 'role'], { fallback: ['guest'] }), { roles: {}, role: 'admin' }, []],
    ['a fallback when everything was dropped', from(['roles'], { unlisted: 'drop', fallback: ['guest'] }), { roles: ['x'] }, ['guest']],
    ['numbers and booleans as JSON writes them', from(['v']), { v: [7, true] }, ['7', 'true']],
    ['objects are not values', from(['v']), { v: [{ a: 1 }, 'b', ['c'], null] }, ['b']],
    ['nothing of the prototype', from(['constructor', '/__proto__/x', '/toString']), {}, []],
  ])('%s', (_name, roles, claims, expected) => expect(mapped({ roles }, claims).roles).toEqual(expected));

  test('own attributes come out by their names', () => {
    const { attributes } = mapped({ attributes: [{ name: 'sections', ...sourceOf(['sections']) }] }, { sections: ['north-1', 'north-2'] });
    expect(attributes).toEqual({ sections: ['north-1', 'north-2'] });
  });

  test('no map and no claims make one provider’s subject another’s: the issuer is the provider’s', () => {
    fc.assert(
      fc.property(fc.dictionary(fc.string(), fc.jsonValue()), fc.constantFrom('iss', 'sub', '/iss', 'providerId', 'issuer'), (claims, path) => {
        const principal = mapped(
          { subject: sourceOf([path]), attributes: [{ name: 'issuer', ...sourceOf(['iss']) }] },
          { ...claims, iss: 'https://other.example' },
        );
        expect([principal.issuer, principal.providerId]).toEqual(['https://sign-in.example', 'trust']);
      }),
    );
  });

  test('what is there and is no value is named by its member; of several where one is meant none is taken', () => {
    const odd = mapped(
      { attributes: [{ name: 'section', ...from(['sections']) }] },
      { sub: 's', groups: ['a', { name: 'b' }], roles: {}, tenant: ['a', 'b'], acr: 'x', amr: ['pwd', null], scope: 'a b', sections: [['north']] },
    );
    expect([...(odd.unread ?? [])].sort()).toEqual(['amr', 'attributes.section', 'groups', 'roles', 'tenant']);
    expect(odd).toMatchObject({ groups: ['a'], roles: [], tenant: null, amr: ['pwd'], attributes: { section: [] } });
    for (const plain of [{}, { groups: [] }, { groups: null }, { groups: ['a', 7, true] }, { tenant: ['a'] }, { scope: '' }])
      expect(mapped({}, plain)).not.toHaveProperty('unread');
  });

  test('a long list is cut, and a path that is none is named with its place', () => {
    expect(mapped({}, { roles: Array.from({ length: 9000 }, (_, index) => `r${index}`) }).roles).toHaveLength(2000);
    expect(() => compileClaimMap(providerRule({ claimMap: { ...STANDARD_CLAIM_MAP, roles: from(['/a~2']) } }), '/providers/3')).toThrow(
      expect.objectContaining({ pointer: '/providers/3/claimMap/roles/paths/0' }) as ConfigError,
    );
    expect(() => mapped({ roles: from(['']) }, {})).toThrow(ConfigError);
  });
});
