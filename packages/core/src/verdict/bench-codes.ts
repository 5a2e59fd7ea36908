import { comparison, meeting, notAsked } from './code-entry.js';

/** What the bench says of single checks, where the gateway only says that a whole step passed. */
export const BENCH_CODES = {
  'bench.check-passed': meeting<{ says: string; wanted: string; found: string }>('token', {
    example: { says: 'The audience matches', wanted: 'https://gates.example', found: 'https://gates.example' },
    sentence: (o) => `${o.says}.`,
    compare: (o) => (o.wanted === '' && o.found === '' ? [] : [comparison('value', o.wanted || null, o.found || null)]),
  }),
  'bench.check-unknown': notAsked<{ because: string }>('token', {
    example: { because: 'no key is chosen before the checks above pass' },
    sentence: (o) => `It cannot be said: ${o.because}.`,
  }),
} as const;
