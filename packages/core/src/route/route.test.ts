import fc from 'fast-check';
import { ConfigError } from '../util/config-error.js';
import { matchAround, readTemplate } from './path-template.js';
import { readPath } from './read-path.js';
import { foldSegment } from './fold-segment.js';
import { Router } from './router.js';

const codeOf = (target: string): string => {
  const read = readPath(target);
  return 'code' in read ? read.code : read.path;
};

describe('reading a request target (RFC 3986 section 6.2.2, RFC 9112 section 3.2)', () => {
  test.each([
    ['/gates', '/gates'],
    ['/', '/'],
    ['/gates/', '/gates/'],
    ['/gates/%47-12', '/gates/G-12'],
    ['/caf%c3%a9', '/caf%C3%A9'],
    ['/a%20b', '/a%20b'],
    ['/100%25', '/100%25'],
    ['/a%3Bb', '/a%3Bb'],
    ['http://gateway.example?x=/b', '/'],
    ['/a/b.', '/a/b.'],
    ['/.well-known', '/.well-known'],
    ['http://gateway.example/gates?x=1', '/gates'],
    ['http://gateway.example', '/'],
  ])('%s is %s', (target, path) => expect(codeOf(target)).toBe(path));

  test.each([
    ['/a/../b', 'path.dot-segment'],
    ['/a/..', 'path.dot-segment'],
    ['/./a', 'path.dot-segment'],
    ['/a/%2e%2E/b', 'path.dot-segment'],
    ['/a/.%2e/b', 'path.dot-segment'],
    ['/a/...', 'path.dot-segment'],
    ['/a/..%20/b', 'path.dot-segment'],
    ['/a/%E2%80%A5/b', 'path.dot-segment'],
    ['/a/%E2%80%A6', 'path.dot-segment'],
    ['/a/%EF%BC%8E%EF%BC%8E/b', 'path.dot-segment'],
    ['/a/.%EF%BC%8E/b', 'path.dot-segment'],
    ['/a/%EF%BD%A1%E3%80%82', 'path.dot-segment'],
    ['/a/%20/b', 'path.empty-segment'],
    ['/a/%E2%80%8B/b', 'path.empty-segment'],
    ['/a%EF%BC%8Fb', 'path.encoded-separator'],
    ['/a%EF%BC%9Bb', 'path.encoded-separator'],
    ['/a%E2%84%80b', 'path.encoded-separator'],
    ['/a%C0%AE%C0%AE', 'path.malformed-escape'],
    ['/a%E9', 'path.malformed-escape'],
    ['http:///a', 'path.target'],
    ['//a', 'path.empty-segment'],
    ['/a//b', 'path.empty-segment'],
    ['/a%2Fb', 'path.encoded-separator'],
    ['/a%5cb', 'path.encoded-separator'],
    ['/a\\b', 'path.encoded-separator'],
    ['/a%00', 'path.control-character'],
    ['/a%7f', 'path.control-character'],
    // What is left where a reader cuts at a semicolon is nothing, or a step in the path.
    ['/a/%3Bx', 'path.empty-segment'],
    ['/a/%20%3b', 'path.empty-segment'],
    ['/a/..%3Bx/b', 'path.dot-segment'],
    ['/a/..;x/b', 'path.dot-segment'],
    ['/a/.%3B', 'path.dot-segment'],
    ['/a/%2e%2e;/b', 'path.dot-segment'],
    ['/a/%EF%BC%8E%EF%BC%8E%3Bx', 'path.dot-segment'],
    ['/a/%20;x', 'path.empty-segment'],
    ['/a%252Fb', 'path.double-encoding'],
    ['/a%2541', 'path.double-encoding'],
    ['/a%2', 'path.malformed-escape'],
    ['/a%zz', 'path.malformed-escape'],
    ['/a"b', 'path.malformed-escape'],
    ['/é', 'path.malformed-escape'],
    ['/a?x=#y', 'path.malformed-escape'],
    ['*', 'path.target'],
    ['gateway.example:443', 'path.target'],
    ['ftp://gateway.example/a', 'path.target'],
    [`/${'a'.repeat(9000)}`, 'path.too-long'],
  ])('%s is refused as %s', (target, code) => expect(codeOf(target)).toBe(code));

  test('semicolons that are not escaped are told, for whoever knows what they mean', () => {
    expect([readPath('/a;x=1/b/;c'), readPath('/a%3Bx/b'), readPath('/a/b?x;y')]).toMatchObject([
      { semicolons: [0, 2], path: '/a;x=1/b/;c' },
      { semicolons: [], path: '/a%3Bx/b' },
      { semicolons: [] },
    ]);
  });

  test('a normal path stays as it is when read again', () => {
    fc.assert(
      fc.property(fc.webPath(), (path) => {
        const once = readPath(path || '/');
        if ('code' in once) return;
        const twice = readPath(once.path);
        expect('code' in twice ? twice.code : twice.path).toBe(once.path);
      }),
      { numRuns: 500 },
    );
  });

  test('the usual spelling comes to what one with escapes of letters does, whatever stands around them', () => {
    const piece = fc.constantFrom('a', 'Z', '7', '.', '..', '/', '-', '_', '~', ';', ':', '@', '!$&', "'()*+,=", '%2F', '%', '\\', ' ', 'é', '\u007f', '', '');
    let read = 0;
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 8 }), (pieces) => {
        const target = `/x${pieces.join('')}`;
        // Escapes stay what they are.
        const escaped = target.replace(/%..|[A-Za-z]/g, (found) => (found.length > 1 ? found : `%${found.charCodeAt(0).toString(16)}`));
        const [one, other] = [readPath(target), readPath(escaped)];
        if ('code' in one || 'code' in other) expect('code' in one && one.code).toBe('code' in other && other.code);
        else {
          expect(one).toEqual(other);
          read++;
        }
      }),
      { numRuns: 5000, seed: 5 },
    );
    expect(read).toBeGreaterThan(500);
  });
});

describe('path templates (OpenAPI 3.1.2 section 4.8.8.2)', () => {
  test.each(['gates', '/a/{b', '/a/b}', '/{a}{b}', '/{a}/{a}', '/{a}{b}x'])('%s cannot be used', (template) =>
    expect(() => readTemplate(template, '/p')).toThrow(ConfigError),
  );
  test('text around a parameter stays text', () => {
    const [segment] = readTemplate('/report({id}).{format}', '/p');
    expect(segment).toMatchObject({ kind: 'parameter', names: ['id', 'format'] });
    const match = (text: string) => (segment?.kind === 'parameter' && segment.around ? matchAround(segment.around, text) : undefined);
    expect(match('report(7).pdf')).toEqual(['7', 'pdf']);
    expect(match('reportX7).pdf')).toBeNull();
    expect(match('report().pdf')).toBeNull();
    expect(match('report(a).b).pdf')).toEqual(['a', 'b).pdf']);
  });
});

/** Areas by their base, each with its upstream and templates; a template is its own target and its own rule. */
type Areas = Readonly<Record<string, { readonly upstream?: string; readonly templates: readonly (string | readonly [string, string])[] }>>;

const segmentsOf = (path: string) => (path === '' ? [] : readTemplate(path, path));

function routerOfAreas(areas: Areas): Router<string, string> {
  const router = new Router<string, string>();
  for (const [base, { upstream = `http://${base.replaceAll('/', '')}.example`, templates }] of Object.entries(areas)) {
    const { origin, pathname } = new URL(upstream);
    const add = router.addArea({ base: segmentsOf(base), origin, prefix: segmentsOf(pathname.replace(/\/$/, '')) }, base, base);
    for (const entry of templates) {
      const [method, template] = typeof entry === 'string' ? ['GET', entry] : entry;
      add(readTemplate(template, template), method, `${base}${template}`, `${method} ${base}${template}`, template);
    }
  }
  for (const step of router.complete()) void step;
  return router;
}
const routerOf = (templates: readonly string[]): Router<string, string> => routerOfAreas({ '': { templates } });
const find = (router: Router<string, string>, path: string, method = 'GET') => router.find(path.slice(1).split('/'), method);

describe('the router', () => {
  const router = routerOf(['/gates', '/gates/{id}', '/gates/lock', '/gates/{id}/flow', '/files/{name}.json', '/files/{name}']);

  test.each([
    ['/gates', '/gates', []],
    ['/gates/G-1', '/gates/{id}', ['G-1']],
    ['/gates/lock', '/gates/lock', []],
    ['/gates/lock/flow', '/gates/{id}/flow', ['lock']],
    ['/files/a.json', '/files/{name}.json', ['a']],
    ['/files/a.txt', '/files/{name}', ['a.txt']],
  ])('%s leads to %s', (path, target, parameters) => expect(find(router, path)).toEqual({ kind: 'found', target, area: '', parameters }));

  test.each(['/gates/', '/gate', '/gates/1/2/3', '/gates//'])('%s leads nowhere', (path) => expect(find(router, path).kind).toBe('no-path'));

  test.each(['/gates/LOCK', '/gates/Lock', '/gates/lock.', '/gates/lock%20', '/gates/%EF%BD%8Cock'])(
    '%s could be read as a fixed segment and is refused',
    (path) => expect(find(router, path)).toMatchObject({ kind: 'ambiguous', target: '/gates/{id}', other: '/gates/lock' }),
  );

  test.each<[string, Areas, string, string]>([
    // What a caller could send before: each was run by the guarded handler under the rule of the public one.
    ['a capital behind a public pair', { '': { templates: ['/x/lock', '/{any}/{thing}'] } }, '/x/LOCK', '/x/lock'],
    ['a dot at the end', { '': { templates: ['/x/lock', '/{any}/{thing}'] } }, '/x/lock.', '/x/lock'],
    ['a capital in text around a parameter', { '': { templates: ['/files/{name}.json', '/files/{name}'] } }, '/files/a.JSON', '/files/{name}.json'],
    ['a blank behind that text', { '': { templates: ['/files/{name}.json', '/files/{name}'] } }, '/files/a.json%20', '/files/{name}.json'],
    ['a semicolon in that text', { '': { templates: ['/files/{name}.json', '/files/{name}'] } }, '/files/a.json%3Bx', '/files/{name}.json'],
    ['a slash at the end', { '': { templates: ['/x/lock', '/{a}/{b}/'] } }, '/x/lock/', '/x/lock'],
    ['two spellings that are both in the contract', { '': { templates: ['/x/lock', '/X/lock'] } }, '/X/lock', '/x/lock'],
    ['two templates of which neither is more specific', { '': { templates: ['/{a}/lock', '/x/{b}'] } }, '/x/lock', '/{a}/lock'],
    [
      'another spelling of a nested base',
      { '/p': { templates: ['/{a}/{b}'] }, '/p/secure': { templates: ['/accounts'] } },
      '/p/SECURE/accounts',
      '/p/secure/accounts',
    ],
    ['another spelling of a base', { '': { templates: ['/{a}/{b}'] }, '/s': { templates: ['/accounts'] } }, '/S/accounts', '/s/accounts'],
    [
      'a shared upstream, to the letter',
      { '/p': { upstream: 'http://one.example', templates: ['/{a}/{b}'] }, '/s': { upstream: 'http://one.example/secure', templates: ['/accounts'] } },
      '/p/secure/accounts',
      '/s/accounts',
    ],
    [
      'a shared upstream, in capitals',
      { '/p': { upstream: 'http://one.example/in', templates: ['/{a}/{b}'] }, '/s': { upstream: 'http://one.example', templates: ['/in/secure/accounts'] } },
      '/p/Secure/accounts',
      '/s/in/secure/accounts',
    ],
  ])('%s could be read as another operation and is refused', (_name, areas, path, other) =>
    expect(find(routerOfAreas(areas), path)).toMatchObject({ kind: 'ambiguous', other }),
  );

  test.each<[string, Areas, string, string]>([
    ['a concrete path before a template', { '': { templates: ['/{a}/{b}', '/x/lock'] } }, '/x/lock', '/x/lock'],
    ['what nobody could take for something else', { '': { templates: ['/{a}/{b}', '/x/lock'] } }, '/x/Locks', '/{a}/{b}'],
    ['more text around a parameter before less', { '': { templates: ['/{n}.{e}', '/{n}.json', '/{n}'] } }, '/a.json', '/{n}.json'],
    ['the longest base', { '/p': { templates: ['/{a}/{b}'] }, '/p/secure': { templates: ['/{c}'] } }, '/p/secure/x', '/p/secure/{c}'],
    [
      'one contract at two bases',
      { '/a': { upstream: 'http://one.example', templates: ['/x'] }, '/b': { upstream: 'http://one.example', templates: ['/x'] } },
      '/b/x',
      '/b/x',
    ],
  ])('%s is found', (_name, areas, path, target) => expect(find(routerOfAreas(areas), path)).toMatchObject({ kind: 'found', target }));

  test('an API that was entered is never left', () => {
    const areas = routerOfAreas({ '/p': { templates: ['/{a}/{b}', ['POST', '/{a}/{b}']] }, '/p/secure': { templates: ['/accounts'] } });
    expect(find(areas, '/p/secure/Accounts')).toMatchObject({ kind: 'no-path', area: '/p/secure' });
    expect(find(areas, '/p/secure/accounts', 'POST')).toMatchObject({ kind: 'no-method', area: '/p/secure', methods: ['GET', 'HEAD'] });
    expect(find(areas, '/p/secure/accounts')).toMatchObject({ kind: 'found', target: '/p/secure/accounts' });
  });

  test('HEAD follows GET, other methods are named', () => {
    expect(find(router, '/gates', 'HEAD')).toMatchObject({ kind: 'found', target: '/gates' });
    expect(find(router, '/gates', 'POST')).toMatchObject({ kind: 'no-method', methods: ['GET', 'HEAD'] });
  });

  test('the same method and path twice is a mistake of the configuration', () => {
    expect(() => routerOf(['/gates/{a}', '/gates/{b}'])).toThrow(ConfigError);
  });

  /**
   * An upstream as lenient as any: it decodes twice, folds case, cuts matrix parameters and blanks, merges slashes and
   * resolves dots before it routes. Whatever spelling a caller sends, the rule that the gateway applies must be the
   * rule of the operation that even such an upstream would run.
   */
  test('no spelling of a path reaches an operation under the rules of another', () => {
    const templates = ['/open', '/open/{any}', '/admin', '/admin/{id}', '/admin/{id}/keys', '/admin/export', '/items/{id}', '/items/all'];
    const guarded = routerOf(templates);
    const decode = (text: string): string => text.replace(/%([0-9a-f]{2})/gi, (_all, hex: string) => String.fromCharCode(parseInt(hex, 16)));
    const lenient = (target: string): string | null => {
      const path = decode(decode(target.split('?')[0] ?? '')).replaceAll('\\', '/');
      const resolved: string[] = [];
      for (const segment of path.split('/').map((part) =>
        (part.split(';')[0] ?? '')
          .trim()
          .replace(/(?<=[^.])\.+$/, '')
          .toLowerCase(),
      )) {
        if (segment === '..') resolved.pop();
        else if (segment !== '' && segment !== '.') resolved.push(segment);
      }
      const match = guarded.find(resolved.map(encodeURIComponent), 'GET');
      return match.kind === 'found' ? match.target : null;
    };
    const piece = fc.constantFrom(
      'open',
      'admin',
      'export',
      'items',
      'all',
      'keys',
      'x',
      'ADMIN',
      'Export',
      '..',
      '.',
      '%2e%2e',
      '%2E.',
      '',
      '%2f',
      '%2F',
      '%5c',
      '\\',
      ';a=b',
      'admin;',
      '%3B',
      '%3bx',
      'admin%3Bx',
      '%20%3B',
      '..%3Bx',
      '%2e%2e%3B',
      '.;',
      ';open=x',
      'export%20',
      'export.',
      '%65xport',
      '%2565xport',
      '%61dmin',
      'adm%69n',
      '%252e%252e',
      '%00',
      'all%2e',
      'é',
      '%C3%A9',
    );
    const separator = fc.constantFrom(...Array<string>(12).fill('/'), '//', '/./', '%2F', '\\');
    const spelling = fc
      .array(fc.tuple(separator, piece, fc.constantFrom(...Array<string>(12).fill(''), '/', ';', '%2e')), { minLength: 1, maxLength: 5 })
      .map((parts) => `/${parts.map((part) => part.join('')).join('')}`.replace(/^\/\//, '/'));
    let reached = 0;
    fc.assert(
      fc.property(spelling, (target) => {
        const read = readPath(target);
        if ('code' in read) return;
        const match = guarded.find(read.segments, 'GET', read.semicolons.length > 0);
        if (match.kind !== 'found') return;
        reached++;
        const upstream = lenient(read.path);
        // Without its matrix parameter a path may be nobody's, and nothing is run.
        if (upstream === null && read.semicolons.length > 0) return;
        expect({ target, upstream }).toEqual({ target, upstream: match.target });
      }),
      { numRuns: 20_000 },
    );
    expect(reached).toBeGreaterThan(200);
  });

  test('long hostile segments are read in time that grows with their length only', () => {
    const mixed = routerOf(['/a/{x}-{y}-{z}.json', '/a/fixed', '/b/{y}', '/b/lock']);
    const from = performance.now();
    for (let round = 0; round < 50; round++) {
      find(mixed, `/a/${'-'.repeat(8000)}`);
      find(mixed, `/b/${'.'.repeat(4000)}x${'%20'.repeat(1000)}y`);
    }
    // A generous bound: with backtracking, one of these alone takes longer.
    expect(performance.now() - from).toBeLessThan(2000);
  });

  test('folding a segment never throws', () => fc.assert(fc.property(fc.string(), (text) => typeof foldSegment(text) === 'string')));
});
