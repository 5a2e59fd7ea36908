import { comparison, passing, refusal } from './code-entry.js';

/** What became of a request that passed every check. */
export const UPSTREAM_CODES = {
  'upstream.answered': passing<{ status: number; address: string }>('upstream', 'pass', {
    sentence: (o) => `${o.address} answered ${o.status}.`,
  }),
  'upstream.not-called': passing<{ address: string }>('upstream', 'skip', {
    sentence: (o) => `Decided only; ${o.address} was not called.`,
  }),
  'upstream.unreachable': refusal<{ address: string; reason: string }>('upstream', 502, {
    title: 'The service behind the gateway cannot be reached',
    sentence: (o) => `${o.address} cannot be reached: ${o.reason}.`,
    standard: 'RFC 9110 section 15.6.3',
    remedy: 'Look whether the upstream runs and listens where the API’s upstream address says.',
  }),
  'upstream.timeout': refusal<{ address: string; limitMs: number; phase: string }>('upstream', 504, {
    title: 'The service behind the gateway took too long',
    sentence: (o) => `${o.address} did not ${o.phase} within ${o.limitMs} ms.`,
    compare: (o) => [comparison('time', `at most ${o.limitMs} ms`, 'longer')],
    standard: 'RFC 9110 section 15.6.5',
    remedy: 'Look at the upstream’s load; raise the API’s time limit only if such answers are slow by nature.',
  }),
  'upstream.broken': refusal<{ address: string; reason: string }>('upstream', 502, {
    title: 'The service behind the gateway answered badly',
    sentence: (o) => `${o.address} broke off or sent something that is not HTTP: ${o.reason}.`,
    standard: 'RFC 9110 section 15.6.3',
    remedy: 'Look at the upstream’s log at this time.',
  }),
  'upstream.caller-left': refusal<{ address: string }>('upstream', 499, {
    title: 'The caller left',
    sentence: (o) => `The caller closed the connection before ${o.address} had answered in full.`,
    standard: 'common practice (499 is never sent)',
    remedy: 'Nothing to mend here unless it happens often: then the caller’s time limit is shorter than the upstream needs.',
  }),
} as const;
