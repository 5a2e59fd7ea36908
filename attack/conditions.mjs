// Ways to be let through by a condition that does not hold.
import { raw, request, statusOf } from './wire.mjs';
import { INSIDE } from './world.mjs';

const REASON = { 'X-Reason': 'repair' };
/** What an upstream could take for the season that was asked for, or for none. */
const QUERIES = [
  '',
  '?season=2025',
  '?season=2026&season=2025',
  '?season=2025&season=2026',
  '?season=2026&%73eason=2025',
  '?season[]=2026',
  '?Season=2026',
  '?season=2026%00',
  '?season=2026;season=2025',
  '?season=%ff',
  '?season=2026&season',
];
const REASONS = [
  'X-Reason: other',
  'X-Reason: repair\r\nX-Reason: other',
  'X-Reason: other\r\nX-Reason: repair',
  'X-Reason: repair, other',
  'X_Reason: repair',
];
const LOCKED = ['7', '%37', '%C3%A9', '7/', './7', '7%20', '07/../7'];

export const CONDITIONS = {
  'a caller that writes what a condition reads, twice or in another spelling': async (world) => {
    const { upstream, gateway, root } = world;
    const path = `${root}/w/held`;
    if (statusOf(await raw(gateway, request('GET', `${path}/8?season=2026`, REASON), { from: INSIDE })) !== 200)
      return 'the call that the condition lets through did not arrive, so that nothing is shown by this';
    upstream.ran.length = 0;
    const calls = [
      ...QUERIES.map((query) => request('GET', `${path}/8${query}`, REASON)),
      ...REASONS.map((lines) => `GET ${path}/8?season=2026 HTTP/1.1\r\nHost: x\r\nConnection: close\r\n${lines}\r\n\r\n`),
      ...LOCKED.map((gate) => request('GET', `${path}/${gate}?season=2026`, REASON)),
    ];
    for (const text of calls) {
      await raw(gateway, text, { from: INSIDE });
      const hit = upstream.ran.find(({ url }) => !/^\/held\/(?:07|7%20)/.test(url));
      if (hit) return `${text.split('\r\n').slice(0, 5).join(' | ')} ran the handler ${hit.name}`;
    }
    return null;
  },
};
