import { apiRule, makeProvider, operation, releaseOf, requires } from '../../test/support.js';
import { canonicalJson } from '../util/canonical-json.js';
import { diffReleases } from './diff-releases.js';

test('two releases are compared in words', async () => {
  const { rule } = await makeProvider('trust');
  const before = releaseOf([rule], apiRule({ operations: [operation('GET', '/a'), operation('GET', '/b')] }));
  const after = releaseOf(
    [{ ...rule, leewaySeconds: 60 }],
    apiRule({ version: '2', operations: [operation('GET', '/a', requires('trust', 'x')), operation('POST', '/c')] }),
    apiRule({ id: 'new', name: 'New', basePath: '/new' }),
  );
  expect(diffReleases(before, before)).toEqual([]);
  expect(diffReleases(before, after).map((change) => `${change.kind} ${change.subject}: ${change.detail}`)).toEqual([
    'changed trust: clock leeway 30 → 60',
    'changed Gates: version 1 → 2',
    'changed Gates GET /a: as the API → scope x',
    'added Gates POST /c: new: scope gates:read',
    'removed Gates GET /b: removed',
    'added New: new, 4 operations at /new',
  ]);
  expect(diffReleases(null, before).map((change) => change.kind)).toEqual(['added', 'added']);
});

test('equal documents have equal canonical text, whatever the order of their members (RFC 8785 section 3.2.3)', () => {
  expect(canonicalJson({ b: 1, a: [{ d: undefined, c: null }], '\u20ac': 'x' })).toBe('{"a":[{"c":null}],"b":1,"€":"x"}');
  expect(canonicalJson({ a: 1, b: 2 })).toBe(canonicalJson({ b: 2, a: 1 }));
});
