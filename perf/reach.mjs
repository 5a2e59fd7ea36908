// What it costs to tell who can reach which operation: a table of 1,000 operations and 500 callers.
import {
  emptyDocument,
  NOTHING_KNOWN,
  ANY_REQUEST,
  Reach,
  runTrials,
  STANDARD_CLAIM_MAP,
  Supposition,
  tokenRule,
  UPSTREAM_LIMITS,
  AS_ITS_API,
  NOTHING_MORE,
} from '@virga/core';

const OPERATIONS = 1000;
const CALLERS = 500;
/** Different rules among the operations of one API: a hundred in all, each of which is decided for every caller. */
const RULES = 20;
const APIS = 5;
const NOW = Date.UTC(2026, 5, 1, 12);

const requires = (scopes, roles) => ({ kind: 'required', origin: 'hand', alternatives: [[{ scheme: 'trust', scopes, match: 'all', roles }]] });

function operation(api, index) {
  const rule = index % RULES;
  return {
    id: `GET /things${index}/{id}`,
    method: 'GET',
    path: `/things${index}/{id}`,
    ...AS_ITS_API,
    access: rule === 0 ? null : requires([`scope${rule}`], rule % 3 === 0 ? [`role${rule % 7}`] : []),
    conditions: rule % 5 === 0 ? [{ kind: 'own', name: 'hours', source: 'principal.roles.exists(r, r == "role1") && now.getHours() > 6' }] : null,
  };
}

function document() {
  const provider = {
    id: 'trust',
    name: 'trust',
    issuer: 'https://sign-in.example',
    source: { kind: 'discovery' },
    algorithms: ['RS256'],
    leewaySeconds: 30,
    lastGoodSeconds: 3600,
    allowLoopbackHttp: false,
    privateHosts: [],
    claimMap: STANDARD_CLAIM_MAP,
    draftOnly: false,
  };
  const apis = Array.from({ length: APIS }, (_, api) => ({
    id: `api${api}`,
    name: `api${api}`,
    version: '1',
    basePath: `/api${api}`,
    enabled: true,
    upstream: {
      url: 'http://127.0.0.1:9',
      connectTimeoutMs: 500,
      responseTimeoutMs: 1000,
      sendCredential: true,
      callerFields: 'x-forwarded',
      limits: UPSTREAM_LIMITS,
    },
    resource: { identifier: `https://api${api}.example`, scopes: [] },
    token: tokenRule([`https://api${api}.example`]),
    cors: null,
    schemes: [{ name: 'trust', type: 'oauth2', declared: 'oauth2', metadataUrl: null, providers: ['trust'], place: null }],
    access: requires(['scope0'], []),
    ...NOTHING_MORE,
    operations: Array.from({ length: OPERATIONS / APIS }, (_operation, index) => operation(api, index)),
  }));
  return { ...emptyDocument('bench'), providers: [provider], apis };
}

const caller = (index) => ({
  id: `caller${index}`,
  kind: 'persona',
  name: `caller${index}`,
  credentials: [
    {
      kind: 'token',
      providerId: 'trust',
      form: 'jwt',
      typ: 'at+jwt',
      vague: false,
      principal: null,
      claims: {
        sub: `caller${index}`,
        aud: Array.from({ length: APIS }, (_, api) => `https://api${api}.example`),
        iat: NOW / 1000 - 60,
        exp: NOW / 1000 + 600,
        scope: Array.from({ length: 10 }, (_, scope) => `scope${(index * 7 + scope * 3) % RULES}`).join(' '),
        roles: [`role${index % 7}`],
      },
    },
  ],
});

/** Milliseconds for the whole table, once for each round. The release is compiled anew in each. */
export async function reachTable(rounds) {
  const callers = Array.from({ length: CALLERS }, (_, index) => caller(index));
  const times = [];
  let decided = 0;
  for (let round = 0; round < rounds; round++) {
    const from = performance.now();
    const unknown = { hour: true, address: true, request: true, authorizers: 'all' };
    const reach = new Reach(new Supposition(document(), { facts: NOTHING_KNOWN, unknown, keys: null, authorizers: null }), NOTHING_KNOWN, ANY_REQUEST, NOW);
    const kinds = { allowed: 0, conditional: 0, refused: 0 };
    for (const one of reach.operations) for (const { kind } of await reach.row(one, callers)) kinds[kind]++;
    times.push(performance.now() - from);
    decided = kinds.allowed + kinds.conditional + kinds.refused;
    if (decided !== OPERATIONS * CALLERS || kinds.allowed === 0 || kinds.conditional === 0 || kinds.refused === 0)
      throw new Error(`the table is not what it should be: ${JSON.stringify(kinds)}`);
  }
  return times;
}

/** Milliseconds for the trials of 200 operations with the same rules, once for each round; scripts are none among them. */
export async function trialRun(rounds) {
  const whole = document();
  const before = { ...whole, apis: whole.apis.slice(0, 1).map((api) => ({ ...api, operations: api.operations.slice(0, 200) })) };
  const times = [];
  for (let round = 0; round < rounds; round++) {
    const from = performance.now();
    const report = await runTrials(before, before, { facts: NOTHING_KNOWN, scripts: null, nowMs: NOW, saved: [], ticks: () => performance.now() });
    times.push(performance.now() - from);
    if (report.operations !== 200 || report.counts.holds < 200 * 50)
      throw new Error(`too little was tried: ${report.operations} operations, ${report.items.length} trials`);
  }
  return times;
}
