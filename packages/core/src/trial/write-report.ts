import type { TrialReport } from './trial.js';

/** A report as JUnit XML, as pipelines read it (common practice; there is no published standard): a suite for each API. */
export function writeJUnit({ items, tookMs }: Pick<TrialReport, 'items' | 'tookMs'>): string {
  const suites = new Map<string, (typeof items)[number][]>();
  for (const item of items) {
    const name = item.apiName === '' ? 'saved' : item.apiName;
    suites.set(name, [...(suites.get(name) ?? []), item]);
  }
  const failures = items.filter(({ result }) => result === 'fails').length;
  const skipped = items.filter(({ result }) => result === 'not-known' || result === 'observed').length;
  const lines = [
    '<?xml version="1.0" encoding="UTF-8"?>',
    `<testsuites name="trials" tests="${items.length}" failures="${failures}" skipped="${skipped}" time="${(tookMs / 1000).toFixed(3)}">`,
  ];
  for (const [name, cases] of suites) {
    lines.push(
      `  <testsuite name="${xml(name)}" tests="${cases.length}" failures="${cases.filter(({ result }) => result === 'fails').length}" skipped="${cases.filter(({ result }) => result === 'not-known' || result === 'observed').length}">`,
    );
    for (const { method, path, tried, expected, result, sentence, code } of cases) {
      const head = `    <testcase classname="${xml(`${method} ${path}`)}" name="${xml(tried)}"`;
      if (result === 'holds') lines.push(`${head}/>`);
      else if (result === 'fails')
        lines.push(`${head}>`, `      <failure message="${xml(`expected ${expected}: ${sentence}`)}" type="${xml(code)}"/>`, '    </testcase>');
      else
        lines.push(
          `${head}>`,
          `      <skipped message="${xml(result === 'observed' ? `only observed: ${sentence}` : 'hangs on an answer that nobody gives here')}"/>`,
          '    </testcase>',
        );
    }
    lines.push('  </testsuite>');
  }
  return [...lines, '</testsuites>', ''].join('\n');
}

/** Text in XML 1.0: what it cannot hold (section 2.2) is replaced. */
const xml = (text: string): string =>
  text

    .replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/g, '?')
    .replaceAll('&', '&amp;')
    .replaceAll('<', '&lt;')
    .replaceAll('>', '&gt;')
    .replaceAll('"', '&quot;')
    .replaceAll('\n', '&#10;');
