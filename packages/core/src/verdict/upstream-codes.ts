import { comparison, failing, meeting, notAsked } from './code-entry.js';

/** What became of a request that passed every check. */
export const UPSTREAM_CODES = {
  'upstream.answered': meeting<{ status: number; address: string }>('upstream', {
    example: { status: 200, address: '127.0.0.1:8101' },
    sentence: (o) => `${o.address} answered ${o.status}.`,
  }),
  'upstream.not-called': notAsked<{ address: string }>('upstream', {
    example: { address: '127.0.0.1:8101' },
    sentence: (o) => `Decided only; ${o.address} was not called.`,
  }),
  'upstream.unreachable': failing<{ address: string; reason: string }>('upstream', 502, {
    example: { address: '127.0.0.1:8101', reason: 'connect refused (ECONNREFUSED)' },
    title: 'The service behind the gateway cannot be reached',
    sentence: (o) => `${o.address} cannot be reached: ${o.reason}.`,
    standard: 'RFC 9110 section 15.6.3',
    remedy: 'Look whether the upstream runs and listens where the API’s upstream address says.',
  }),
  'upstream.timeout': failing<{ address: string; limitMs: number; phase: string }>('upstream', 504, {
    example: { address: '127.0.0.1:8101', limitMs: 30000, phase: 'answer' },
    title: 'The service behind the gateway took too long',
    sentence: (o) => `${o.address} did not ${o.phase} within ${o.limitMs} ms.`,
    compare: (o) => [comparison('time', `at most ${o.limitMs} ms`, 'longer')],
    standard: 'RFC 9110 section 15.6.5',
    remedy: 'Look at the upstream’s load; raise the API’s time limit only if such answers are slow by nature.',
  }),
  'upstream.busy': failing<{ address: string; connections: number; waiting: number; waitedMs: number }>('upstream', 503, {
    example: { address: '127.0.0.1:8101', connections: 64, waiting: 256, waitedMs: 0 },
    title: 'The service behind the gateway is busy',
    sentence: (o) =>
      o.waitedMs === 0
        ? `All ${o.connections} connections to ${o.address} are in use and ${o.waiting} requests wait already.`
        : `All ${o.connections} connections to ${o.address} were in use for the ${o.waitedMs} ms that this request waited.`,
    standard: 'RFC 9110 section 15.6.4',
    remedy: 'Look who holds them: the traces of this API, longest first. If the upstream can take more, raise its connections.',
  }),
  'upstream.share': failing<{ address: string; caller: string; held: number; sharePercent: number }>('upstream', 503, {
    example: { address: '127.0.0.1:8101', caller: '192.0.2.7', held: 32, sharePercent: 50 },
    title: 'This caller has too many requests at one time',
    sentence: (o) => `${o.caller} holds ${o.held} connections to ${o.address} and as many waiting places, its share of ${o.sharePercent} %.`,
    compare: (o) => [comparison('requests of one caller at one time', String(o.held), 'more')],
    standard: 'RFC 9110 section 15.6.4',
    remedy: 'One caller cannot hold the whole upstream. If all callers come from one address, give them tokens of their own clients or raise the share.',
  }),
  'upstream.broken': failing<{ address: string; reason: string }>('upstream', 502, {
    example: { address: '127.0.0.1:8101', reason: 'other side closed (UND_ERR_SOCKET)' },
    title: 'The service behind the gateway answered badly',
    sentence: (o) => `${o.address} broke off or sent something that is not HTTP: ${o.reason}.`,
    standard: 'RFC 9110 section 15.6.3',
    remedy: 'Look at the upstream’s log at this time.',
  }),
  'upstream.caller-left': failing<{ address: string }>('upstream', 499, {
    example: { address: '127.0.0.1:8101' },
    title: 'The caller left',
    sentence: (o) => `The caller closed the connection before ${o.address} had answered in full.`,
    standard: 'common practice (499 is never sent)',
    remedy: 'Nothing to mend here unless it happens often: then the caller’s time limit is shorter than the upstream needs.',
  }),
} as const;
