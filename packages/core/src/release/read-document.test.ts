import fc from 'fast-check';
import { apiRule, fixture, portsOf, providerRule, releaseOf, TestKeys } from '../../test/support.js';
import { RELEASE_FORMAT } from '../document/release-document.js';
import { ConfigError } from '../util/config-error.js';
import { pointerParts, valueAt } from '../util/json-pointer.js';
import { compileRelease } from './compile-release.js';
import { describePointer } from './describe-pointer.js';
import { upgradeDocument, readDocument } from './read-document.js';

const present = () => JSON.parse(JSON.stringify(releaseOf([providerRule()], apiRule()))) as Record<string, unknown>;

describe('a release document', () => {
  test.each([1, 2, 3, 4, 5, 6, 7, 8, 9])('of format %d, as its version wrote it, is read and compiles', (format) => {
    const written = JSON.parse(fixture(`release-format-${format}.json`)) as Record<string, unknown>;
    expect(written['format']).toBe(format);
    const read = readDocument(written);
    expect(read.format).toBe(RELEASE_FORMAT);
    expect(read.apis.length).toBeGreaterThan(0);
    // What an earlier version enforced is enforced.
    expect(read.apis.every((api) => api.modes.all === 'enforce' && Object.keys(api.modes.checks).length === 0)).toBe(true);
    expect(compileRelease(read, portsOf(new TestKeys())).apis.length).toBe(read.apis.length);
    // What upstreams were told of callers they are told.
    expect(read.apis.every(({ upstream }) => upstream.callerFields === 'both')).toBe(true);
  });

  test('of this format is itself', () => expect(upgradeDocument(present())).toEqual(present()));

  test('of a newer format is refused in words', () => {
    expect(() => readDocument({ ...present(), format: RELEASE_FORMAT + 1 })).toThrow(/from a newer version/);
    for (const format of [undefined, null, '2', 0, 1.5, Number.NaN]) expect(() => readDocument({ ...present(), format })).toThrow(ConfigError);
  });

  test('with any member gone, null or of another type is refused with a pointer, or means the same for everyone', () => {
    const document = present();
    const pointers: string[] = [];
    const walk = (value: unknown, at: string): void => {
      if (at !== '') pointers.push(at);
      if (value === null || typeof value !== 'object') return;
      for (const [name, member] of Object.entries(value)) walk(member, `${at}/${name.replaceAll('~', '~0').replaceAll('/', '~1')}`);
    };
    walk(document, '');
    const change = fc.constantFrom<unknown>(undefined, null, '', 7, true, [], {}, [null], 'observe');
    fc.assert(
      fc.property(fc.constantFrom(...pointers), change, (pointer, value) => {
        const changed = JSON.parse(JSON.stringify(document)) as unknown;
        const parts = pointerParts(pointer) ?? [];
        const owner = valueAt(changed, pointer.slice(0, pointer.lastIndexOf('/'))) as Record<string, unknown>;
        owner[parts[parts.length - 1] ?? ''] = value;
        let read;
        try {
          read = compileRelease(readDocument(JSON.parse(JSON.stringify(changed))), portsOf(new TestKeys()));
        } catch (error) {
          // A reader that stumbles refuses too, but without words: a defect.
          expect(error).toBeInstanceOf(ConfigError);
          return;
        }
        // What is read after all enforces no less: modes are those of before, unless the change said so by its word.
        if (value !== 'observe')
          for (const api of read.apis) expect(api.operations.every(({ fallLine }) => fallLine.every(({ mode }) => mode === 'enforce'))).toBe(true);
      }),
      { numRuns: 2000 },
    );
  });

  test('is pointed into by the words of its rules', () => {
    const document = releaseOf([], apiRule());
    expect(describePointer(document, '/apis/0/operations/2/access')).toEqual({
      apiId: 'gates',
      operationId: 'POST /gates/{gateId}/positions',
      member: ['access'],
    });
    expect(describePointer(document, '/apis/0/token/audiences')).toEqual({ apiId: 'gates', operationId: null, member: ['token', 'audiences'] });
    for (const pointer of ['', '/providers/0', '/apis/7/access', '/apis/0/operations/99', 'x']) expect(describePointer(document, pointer)).toBeNull();
  });
});
