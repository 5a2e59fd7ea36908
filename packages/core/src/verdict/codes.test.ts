import { readFileSync } from 'node:fs';
import { CODES, entryOf, type Code } from './codes.js';
import { explain } from './explain.js';
import { outcomeOf, STEPS } from './code-entry.js';

const codes = Object.keys(CODES) as Code[];
const failing = codes.filter((code) => entryOf(code).says === 'fails');

describe('the table of codes', () => {
  test.each(codes)('%s is complete', (code) => {
    const entry = entryOf(code);
    expect(STEPS).toContain(entry.step);
    const said = explain(code, entry.example);
    expect(said?.sentence).toMatch(/\.$/);
    const written = JSON.stringify([said?.sentence, said?.comparisons]);
    expect(written).not.toMatch(/undefined|NaN|\[object/);
    if (entry.says === 'fails') {
      expect(entry.status).toBeGreaterThanOrEqual(400);
      expect(entry.title).not.toBe('');
      expect(entry.standard).not.toBe('');
      expect(entry.remedy).toMatch(/\.$/);
    } else expect(entry.status).toBeNull();
    if (entry.challenge !== 'none') expect([400, 401, 403]).toContain(entry.status);
    if (entry.status === 401) expect(entry.challenge).not.toBe('none');
  });

  test('docs/errors.md has every code with its status, title and example, and no other', () => {
    const text = readFileSync(new URL('../../../../docs/errors.md', import.meta.url), 'utf8');
    const rows = [...text.matchAll(/^\| `([\w.-]+)` \| (\S+) \| ([^|]+) \| ([^|]+) \|/gm)].map((match) => match.slice(1, 5).map((cell) => cell.trim()));
    const cell = (said: string | undefined) => (said ?? '').replaceAll('|', '\\|');
    expect(rows).toEqual(
      failing.map((code) => [code, String(entryOf(code).status), entryOf(code).title, cell(explain(code, entryOf(code).example)?.sentence)]),
    );
  });

  test('a code of another version, and operands of another version, are not explained', () => {
    expect(explain('token.from-the-future', {})).toBeNull();
    expect(explain('claims.client', { found: 'a client' })).toBeNull();
  });

  test.each(['key', 'basic', 'certificate'])('whatever is wrong with a credential of kind %s, the caller is told the same', (step) => {
    // Common practice; the two that say how it was sent tell nothing about what there is.
    const rows = failing.filter((code) => entryOf(code).step === step && !/malformed|plain-http/.test(code));
    expect(rows.length).toBeGreaterThan(3);
    expect(new Set(rows.map((code) => JSON.stringify([entryOf(code).status, entryOf(code).title, entryOf(code).challenge]))).size).toBe(1);
  });

  test('the mode makes the outcome, and only of what fails', () => {
    expect((['meets', 'fails', 'not-asked'] as const).map((said) => [outcomeOf(said, 'enforce'), outcomeOf(said, 'observe')])).toEqual([
      ['pass', 'pass'],
      ['refuse', 'would-refuse'],
      ['skip', 'skip'],
    ]);
  });
});
