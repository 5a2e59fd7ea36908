import fc from 'fast-check';
import { apiRule, operation, providerRule, releaseOf } from '../../test/support.js';
import type { ReleaseDocument } from '../document/release-document.js';
import { listChanges, revertChanges } from './document-changes.js';

const api = (id: string, name: string, operations: readonly string[], enabled = true) =>
  apiRule({ id, name, enabled, basePath: `/${id}`, operations: operations.map((path) => ({ ...operation('GET', path), summary: name })) });

const documents: fc.Arbitrary<ReleaseDocument> = fc
  .record({
    apis: fc.uniqueArray(
      fc.record({
        id: fc.constantFrom('a', 'b', 'c'),
        name: fc.constantFrom('one', 'two'),
        operations: fc.uniqueArray(fc.constantFrom('/x', '/y', '/z'), { maxLength: 3 }),
        enabled: fc.boolean(),
      }),
      { selector: ({ id }) => id },
    ),
    providers: fc.uniqueArray(fc.record({ id: fc.constantFrom('p', 'q'), name: fc.constantFrom('P', 'Q') }), { selector: ({ id }) => id }),
    environment: fc.constantFrom('e', 'f'),
  })
  .map(({ apis, providers, environment }) => ({
    ...releaseOf(
      providers.map(({ id, name }) => providerRule({ id, name, issuer: `https://${id}.example` })),
      ...apis.map((one) => api(one.id, one.name, one.operations, one.enabled)),
    ),
    environment,
  }));
const wire = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;

test('changes that are taken back give what was there before, order included', () => {
  fc.assert(
    fc.property(documents, documents, (before, after) => {
      const changes = wire(listChanges(before, after));
      expect(revertChanges(after, changes)).toEqual({ document: before });
      expect(listChanges(before, wire(before))).toEqual([]);
    }),
    { numRuns: 300 },
  );
});

test('an earlier edit is taken back and a later one elsewhere stays; the same thing changed again is a conflict', () => {
  const [first, named, both] = [
    releaseOf([], api('a', 'one', ['/x', '/y'])),
    releaseOf([], api('a', 'one', ['/x', '/y'], false)),
    releaseOf([], api('a', 'one', ['/x'], false)),
  ];
  const edit = wire(listChanges(first, named));
  expect(revertChanges(both, edit)).toEqual({ document: releaseOf([], api('a', 'one', ['/x'])) });
  expect(revertChanges(first, edit)).toEqual({ conflict: { kind: 'api-member', id: 'a', member: 'enabled' } });
  expect(revertChanges(releaseOf([]), edit)).toEqual({ conflict: { kind: 'api-member', id: 'a', member: 'enabled' } });
});
