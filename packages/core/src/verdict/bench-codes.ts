import { comparison, passing } from './code-entry.js';

/** What the bench says of single checks, where the gateway only says that a whole step passed. */
export const BENCH_CODES = {
  'bench.check-passed': passing<{ says: string; wanted: string; found: string }>('token', 'pass', {
    sentence: (o) => `${o.says}.`,
    compare: (o) => (o.wanted === '' && o.found === '' ? [] : [comparison('value', o.wanted || null, o.found || null)]),
  }),
  'bench.check-unknown': passing<{ because: string }>('token', 'skip', { sentence: (o) => `It cannot be said: ${o.because}.` }),
} as const;
