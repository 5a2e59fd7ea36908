import { readFileSync } from 'node:fs';
import { CODES, entryOf, type Code } from './codes.js';
import { explain } from './explain.js';
import { STEPS } from './code-entry.js';

const codes = Object.keys(CODES) as Code[];
/** Operands that fit any row: every name gives a value of each kind that rows use. */
const operands = new Proxy(
  {},
  {
    get: (_target, name) => {
      const lists = [
        'wanted',
        'found',
        'missing',
        'known',
        'accepted',
        'held',
        'marks',
        'audience',
        'crit',
        'places',
        'schemes',
        'scopes',
        'allowed',
        'parameters',
        'roles',
        'members',
        'checks',
        'acrValues',
      ];
      if (lists.includes(String(name))) return ['a'];
      return ['at', 'now', 'leewaySeconds', 'expiresAt', 'status', 'limit', 'length', 'limitMs', 'limitBytes', 'until', 'maxAgeSeconds', 'signedInAt'].includes(
        String(name),
      )
        ? 1000
        : 'x';
    },
  },
);

describe('the table of codes', () => {
  test.each(codes)('%s is complete', (code) => {
    const entry = entryOf(code);
    expect(STEPS).toContain(entry.step);
    const said = explain(code, operands);
    expect(said?.sentence).toMatch(/\.$/);
    if (entry.outcome === 'refuse') {
      expect(entry.status).toBeGreaterThanOrEqual(400);
      expect(entry.title).not.toBe('');
      expect(entry.standard).not.toBe('');
      expect(entry.remedy).toMatch(/\.$/);
    } else expect(entry.status).toBeNull();
    if (entry.challenge !== 'none') expect([400, 401, 403]).toContain(entry.status);
    if (entry.status === 401) expect(entry.challenge).not.toBe('none');
  });

  test('docs/errors.md has every code with its status and title, and no other', () => {
    const text = readFileSync(new URL('../../../../docs/errors.md', import.meta.url), 'utf8');
    const rows = [...text.matchAll(/^\| `([\w.-]+)` \| (\S+) \| ([^|]+) \|/gm)].map((match) => [match[1], match[2], (match[3] ?? '').trim()]);
    expect(rows).toEqual(codes.filter((code) => entryOf(code).outcome === 'refuse').map((code) => [code, String(entryOf(code).status), entryOf(code).title]));
  });

  test('a code of another version is not explained', () => expect(explain('token.from-the-future', {})).toBeNull());
});
