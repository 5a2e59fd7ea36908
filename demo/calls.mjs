import { weighted } from './random.mjs';

const GATES = 'https://headgates.velmora.example';
const READINGS = 'https://readings.velmora.example';
const ALLOTMENTS = 'https://allotments.velmora.example';

/** Callers of the scenario: how often each calls, from where, and with what rights. */
export const CALLERS = [
  { weight: 40, subject: 'canal-loggers', client: 'canal-loggers', scope: 'readings:write', audience: READINGS, address: '198.51.100.24' },
  { weight: 18, subject: 'rider.north', client: 'rider-tablet', scope: 'openid gates:read gates:operate', audience: GATES, address: '198.51.100.77' },
  { weight: 10, subject: 'rider.south', client: 'rider-tablet', scope: 'openid gates:read gates:operate', audience: GATES, address: '198.51.100.81' },
  { weight: 12, subject: 'dispatcher.one', client: 'dispatcher-desk', scope: 'openid gates:read gates:operate', audience: GATES, address: '192.0.2.10' },
  { weight: 14, subject: 'grower.217', client: 'grower-app', scope: 'openid gates:read', audience: GATES, address: '203.0.113.54' },
  { weight: 8, subject: 'open-data', client: 'open-data', scope: 'gates:read', audience: GATES, address: '192.0.2.30' },
  { weight: 6, subject: 'registry-sync', client: 'registry-sync', scope: 'gates:read', audience: GATES, address: '192.0.2.200', house: 'State Water Registry' },
  { weight: 6, subject: null, client: 'inspection-kit', scope: 'gates:read', audience: GATES, address: '203.0.113.120', house: 'Dunlin Fieldworks' },
  { weight: 9, proves: 'key', client: 'open-data-site', address: '203.0.113.31' },
  { weight: 3, proves: 'basic', client: 'old-billing-job', address: '192.0.2.66' },
  // It has read the open data without a key for years.
  { weight: 2, proves: 'nothing', client: null, address: '203.0.113.88' },
  { weight: 7, subject: 'grower.217', client: 'grower-app', scope: 'readings:read', audience: READINGS, address: '203.0.113.54' },
  { weight: 9, subject: 'grower.217', client: 'grower-app', scope: 'allotments:read allotments:trade', audience: ALLOTMENTS, address: '203.0.113.54' },
];

/** What is wrong with a call's proof, by weight. */
const PROOFS = [
  [880, 'good'],
  [34, 'expired'],
  [18, 'tampered'],
  [14, 'id-token'],
  [26, 'none'],
  [7, 'other-audience'],
  [4, 'cut'],
];

function requestOf(random, caller) {
  const gate = `G-${1 + random.below(24)}`;
  const meter = random.pick(['M-100', 'M-101', 'M-102', 'M-217']);
  if (caller.proves === 'basic') return { method: 'GET', path: `/readings/meters/${meter}/bill` };
  if (caller.proves) return { method: 'GET', path: '/readings/basin-volumes' };
  if (caller.scope === 'readings:write')
    return {
      method: 'POST',
      path: '/readings/readings',
      body: { readings: [{ meterId: meter, at: '2026-06-02T06:00:00Z', cubicMetres: 40 + random.below(12) }] },
    };
  if (caller.audience === ALLOTMENTS) return weighted(random, RIGHTS);
  if (caller.audience === READINGS)
    return {
      method: 'GET',
      path: weighted(random, [
        [5, `/readings/meters/${meter}/readings`],
        [2, '/readings/meters'],
        [1, `/readings/meters/${meter}/readings?since=yesterday`],
        [2, `/readings/meters/${meter}/daily-volumes`],
        // What the app of before still does.
        [1, `/readings/v0/export?from=2026-06-01&format=${random.pick(['json', 'flat'])}`],
        [2, `/readings/v0/meters/${meter}/raw?limit=${10 * (1 + random.below(5))}`],
      ]),
    };
  return weighted(random, [
    [30, { method: 'GET', path: '/headgates/gates' }],
    [26, { method: 'GET', path: `/headgates/gates/${gate}` }],
    [10, { method: 'GET', path: `/headgates/gates/${gate}/positions` }],
    [8, { method: 'GET', path: '/headgates/sections' }],
    [14, { method: 'GET', path: '/headgates/sections/north-1/flow' }],
    [9, { method: 'POST', path: `/headgates/gates/${gate}/positions`, body: { opening: random.below(64), reason: 'evening turn' } }],
    [1, { method: 'PUT', path: `/headgates/gates/${gate}/lock-out`, body: {} }],
  ]);
}

const transfer = (change) => ({
  method: 'POST',
  path: '/allotments/transfers',
  body: { kind: 'season', rightId: 'R-7', to: 'grower.404', season: '2026', cubicMetres: 300, ...change },
});

/** What growers do with their rights, and what an old form of the app sends. */
const RIGHTS = [
  [8, { method: 'GET', path: '/allotments/rights?season=2026' }],
  [6, { method: 'GET', path: '/allotments/rights/R-7/balance' }],
  [3, { method: 'GET', path: '/allotments/rights/R-11/statements' }],
  [4, transfer({})],
  [2, transfer({ kind: 'lasting', deed: '0b0f7a53-0d0c-4d1a-8f0e-3a1f5b0c2d11', season: undefined, cubicMetres: undefined })],
  [2, transfer({ cubicMetres: -300 })],
  [1, transfer({ state: 'confirmed' })],
  [1, { method: 'GET', path: '/allotments/rights?season=this' }],
  [1, { method: 'GET', path: '/allotments/rights/R-7/balance?verbose=1' }],
];

const STRANGE = [
  { method: 'GET', path: '/readings/v0/export' },
  { method: 'GET', path: '/headgates/admin' },
  { method: 'GET', path: '/.env' },
  { method: 'GET', path: '/headgates/gates/..%2f..%2fsecret' },
  { method: 'DELETE', path: '/headgates/gates/G-3' },
  { method: 'GET', path: '/headgates//gates' },
];

/** The next call of the scenario: who, what, and with which proof. */
export function nextCall(random) {
  if (random.next() < 0.02) return { caller: null, proof: 'none', address: '203.0.113.200', ...random.pick(STRANGE) };
  const caller = weighted(
    random,
    CALLERS.map((item) => [item.weight, item]),
  );
  return { caller, proof: weighted(random, PROOFS), address: caller.address, ...requestOf(random, caller) };
}

/** What clients with a key or a secret of their own send. */
export function ownProof({ caller, proof }, made) {
  if (!made) return {};
  if (caller?.proves === 'key') return { 'x-basin-key': proof === 'none' || proof === 'cut' ? made.openDataKey.slice(0, -4) : made.openDataKey };
  if (caller?.proves === 'basic') return { authorization: `Basic ${Buffer.from(proof === 'tampered' ? 'billing:guess' : made.billing).toString('base64')}` };
  return {};
}
