import { addPlans, addSubscriptions } from './plans.mjs';
import { addPortal } from './portal.mjs';
import { readFileSync } from 'node:fs';

const contract = (name) => readFileSync(new URL(`contracts/${name}`, import.meta.url), 'utf8');

/**
 * Fills an empty control plane with the scenario, through the same API that the console uses.
 * @returns the keys and secrets that were made, which nobody can read again; null when it has data already
 */
export async function seed(control, standins, portalUrl) {
  const standing = await control.get('/standing');
  if (standing.live || standing.apiCount > 0 || standing.providerCount > 0) return null;
  const [signIn, gates, meters, registry, dunlin, decisions, rights] = standins;
  const provider = await control.send('POST', '/providers', { name: 'Trust Sign-in', issuer: signIn.issuer, allowLoopbackHttp: true });
  // Riders carry the canal sections that they serve.
  await control.send('PATCH', `/providers/${provider.id}`, { claimMap: { ...provider.claimMap, attributes: [{ name: 'sections', ...from(['sections']) }] } });

  const partner = await trustRegistry(control, registry);
  const contractor = await trustDunlin(control, dunlin);
  const all = [provider.id, partner.id, contractor.id];

  const headgates = await bringIn(control, 'headgates.yaml', '/headgates', gates, all);
  await control.send('PATCH', `/apis/${headgates}`, {
    cors: {
      origins: ['https://map.velmora.example'],
      credentials: false,
      requestHeaders: ['authorization', 'content-type'],
      exposedHeaders: ['x-request-id'],
      maxAgeSeconds: 600,
    },
  });
  const readings = await bringIn(control, 'meter-readings.yaml', '/readings', meters, all);
  // Open data was open to anyone; the rule of the contract is watched before it refuses.
  await control.send('PATCH', `/apis/${readings}/operations`, { ids: ['GET /basin-volumes'], modes: { all: 'observe', checks: {} } });
  const allotments = await bringIn(control, 'allotments.yaml', '/allotments', rights, [provider.id]);
  await addContracts(control, readings, allotments);
  await addWatching(control, headgates, readings, allotments);
  await addAddresses(control, headgates);
  await addConditions(control, headgates);
  await addAuthorizers(control, headgates, allotments, decisions);
  await addPersonas(control, provider.id, gates.resource, meters.resource);
  await control.send('POST', '/personas', {
    name: 'Registry sync, partner agency',
    providerId: partner.id,
    grant: 'client_credentials',
    clientId: 'registry-sync',
    clientSecret: 'registry-demo-secret',
    scopes: ['gates:read'],
    resource: gates.resource,
  });
  await control.send('POST', '/personas', {
    name: 'Dunlin inspection kit',
    providerId: contractor.id,
    grant: 'client_credentials',
    clientId: 'inspection-kit',
    clientSecret: 'inspection-demo-secret',
    scopes: ['gates:read'],
    resource: gates.resource,
  });
  const made = await addClients(control, provider.id);
  await addPlans(control, { headgates, readings, allotments });
  await addSubscriptions(control, provider.id);
  await control.send('POST', '/releases', { note: 'First release of the trust' });
  const portalAccounts = await addPortal(control, portalUrl, { headgates, readings, allotments, providerId: provider.id });
  return { ...made, portalAccounts };
}

const REQUEST_PARTS = ['path', 'query', 'header', 'cookie', 'security', 'type', 'body'];
const ANSWER_PARTS = ['status', 'fields', 'answer'];
const parts = (names, mode) => Object.fromEntries(names.map((name) => [`contract-${name}`, mode]));

/** Meter readings are watched in full. Allotments refuse requests that differ, since money hangs on them; their answers are watched. */
async function addContracts(control, readings, allotments) {
  await control.send('PATCH', `/apis/${readings}`, { contract: { parts: parts([...REQUEST_PARTS, ...ANSWER_PARTS], 'observe'), unknownMembers: 'refuse' } });
  await control.send('PATCH', `/apis/${allotments}`, {
    contract: { parts: { ...parts(REQUEST_PARTS, 'enforce'), ...parts(ANSWER_PARTS, 'observe') }, unknownMembers: 'refuse' },
  });
}

/**
 * All three APIs are learned from. Old paths of the Meter readings still reach their service, watched, since nobody knows who calls them;
 * addresses of people and account numbers are looked for wherever they may leave.
 */
async function addWatching(control, headgates, readings, allotments) {
  const look = (...uses) => ({ uses: uses.map(([detector, request, answer]) => ({ detector, request, answer })), bodyBytes: 1_048_576, largerBody: 'refuse' });
  const learning = { on: true, answers: 'successful' };
  await control.send('PATCH', '/sensitive/detectors', {
    detectors: [{ id: 'own-deed', name: 'Deed of a water right', pattern: '[0-9a-f]{8}-0d0c-[0-9a-f-]{22}' }],
  });
  await control.send('PATCH', `/apis/${headgates}`, {
    learning,
    sensitive: look(['email', 'tell', 'tell'], ['ip-address', 'tell', 'tell'], ['jwt', 'tell', 'tell']),
  });
  await control.send('PATCH', `/apis/${readings}`, {
    learning,
    unmatched: [{ prefix: '/v0', mode: 'observe' }],
    sensitive: look(['email', 'tell', 'tell'], ['phone', 'tell', 'tell'], ['ip-address', null, 'tell'], ['password', 'refuse', 'tell']),
  });
  await control.send('PATCH', `/apis/${allotments}`, {
    learning,
    sensitive: look(['iban', 'tell', 'tell'], ['email', 'tell', 'tell'], ['own-deed', 'tell', 'tell']),
  });
}

/** Networks of the trust; gates are moved from two of them and from this machine. A neighbourhood of strange calls is watched. */
async function addAddresses(control, headgates) {
  await control.send('PATCH', '/addresses', {
    networks: [
      { name: 'control room', description: 'Desks of the dispatchers', entries: ['192.0.2.0/25'] },
      { name: 'field works', description: 'Tablets of the riders, canal loggers', entries: ['198.51.100.0/24', '2001:db8:f1e1::/48'] },
      { name: 'workshop', description: 'This machine', entries: ['127.0.0.0/8'] },
    ],
    callerAddress: { header: 'x-forwarded-for', trustedHops: ['workshop'] },
    fence: { mode: 'observe', addresses: { kind: 'except', of: ['203.0.113.192/26'] } },
  });
  const ids = ['POST /gates/{gateId}/positions', 'PUT /gates/{gateId}/lock-out'];
  await control.send('PATCH', `/apis/${headgates}/operations`, { ids, addresses: { kind: 'only', of: ['control room', 'field works', 'workshop'] } });
}

/** Partners read gates outside of the hours in which the day's water is shared out; watched before it refuses. */
async function addConditions(control, headgates) {
  const hour = 'now.getHours("America/Denver")';
  await control.send('PATCH', '/conditions', {
    conditions: [
      {
        name: 'daylight',
        description: 'Partners leave 06:00 to 10:00 in the basin to the riders',
        source: `!("partner" in principal.roles) || ${hour} < 6 || ${hour} >= 10`,
      },
      {
        name: 'has a reason',
        description: 'Whoever changes something says why',
        source: '"x-reason" in request.headers && request.headers["x-reason"].size() >= 5',
      },
      { name: 'not locked out', description: 'Nobody moves a gate that is locked out', source: '!(request.parameters.gateId in resource.lockouts)' },
    ],
  });
  await control.send('PUT', '/tables/lockouts', {
    description: 'Gates that nobody may move, and why',
    key: 'gate',
    columns: ['gate', 'since', 'reason'],
    rows: [
      ['G-11', '2026-05-28', 'divers in the forebay'],
      ['G-23', '2026-06-01', 'actuator out for repair'],
    ],
  });
  await control.send('PATCH', `/apis/${headgates}/operations`, {
    ids: ['POST /gates/{gateId}/positions'],
    conditions: [
      { kind: 'shared', name: 'not locked out' },
      { kind: 'own', name: 'wide by dispatchers', source: 'request.body.opening <= 60 || "dispatcher" in principal.roles' },
    ],
  });
  await control.send('PATCH', `/apis/${headgates}/operations`, {
    ids: ['GET /gates'],
    conditions: [{ kind: 'shared', name: 'daylight' }],
    modes: { all: 'enforce', checks: { condition: 'observe' } },
  });
}

const SECTIONS = ['north-1', 'north-2', 'south-1', 'west-3'];

/** A rider moves gates of the own sections; a grower trades what is held. */
async function addAuthorizers(control, headgates, allotments, decisions) {
  await control.send('PUT', '/tables/gates', {
    description: 'In which canal section each gate lies',
    key: 'gate',
    columns: ['gate', 'section'],
    rows: Array.from({ length: 24 }, (_, index) => [`G-${index + 1}`, SECTIONS[(index + 1) % SECTIONS.length]]),
  });
  const rider = (gateId, lockouts = {}) =>
    JSON.stringify(
      {
        principal: { subject: 'rider.north', roles: ['rider'], attributes: { sections: ['north-1', 'north-2'] } },
        request: { method: 'POST', path: `/headgates/gates/${gateId}/positions`, parameters: { gateId } },
        resource: { gates: { 'G-4': { section: 'north-1' }, 'G-3': { section: 'west-3' } }, lockouts },
      },
      null,
      1,
    );
  await control.send('PUT', '/authorizers/own section', {
    name: 'own section',
    description: 'A rider moves gates of the sections in the token, none that is locked out',
    script: { source: readFileSync(new URL('authorizers/own-section.js', import.meta.url), 'utf8'), timeMs: 20, megabytes: 8, tables: ['gates', 'lockouts'] },
    service: null,
    passes: ['x-section'],
    cache: null,
    cases: [
      { name: 'a gate of the own section', input: rider('G-4'), expected: 'allow' },
      { name: 'a gate of another section', input: rider('G-3'), expected: 'deny' },
      { name: 'locked out', input: rider('G-4', { 'G-4': { since: '2026-06-01', reason: 'divers' } }), expected: 'deny' },
      {
        name: 'a grower',
        input: JSON.stringify(
          {
            principal: { subject: 'grower.217', roles: ['grower'] },
            request: { parameters: { gateId: 'G-4' } },
            resource: { gates: {}, lockouts: {} },
          },
          null,
          1,
        ),
        expected: 'deny',
      },
    ],
  });
  const trade = (subject, cubicMetres) =>
    JSON.stringify(
      {
        principal: { subject, roles: ['grower'] },
        request: { method: 'POST', path: '/allotments/rights/R-7/trades', parameters: { rightId: 'R-7' }, query: { season: '2026', cubicMetres } },
      },
      null,
      1,
    );
  await control.send('PUT', '/authorizers/water right', {
    name: 'water right',
    description: 'May this grower trade this much of this right in this season',
    script: null,
    service: {
      url: decisions.address,
      credential: { kind: 'bearer', secret: decisions.secret },
      timeoutMs: 800,
      allowLoopbackHttp: true,
      privateHosts: [],
      question: {
        subjectType: 'grower',
        subjectId: 'principal.subject',
        action: '"trade"',
        resourceType: 'water right',
        resourceId: 'request.parameters.rightId',
        properties: [
          { of: 'subject', name: 'roles', value: 'principal.roles' },
          { of: 'context', name: 'season', value: 'request.query.season' },
          { of: 'context', name: 'cubicMetres', value: 'double(request.query.cubicMetres)' },
        ],
      },
      signIn: { pointer: '/context/code', value: 'unauthenticated' },
    },
    passes: [],
    cache: { seconds: 30, key: ['caller', 'operation', 'path', 'query'] },
    cases: [
      { name: 'what is held', input: trade('grower.217', '12000'), expected: 'allow' },
      { name: 'more than is held', input: trade('grower.217', '12001'), expected: 'deny' },
      { name: 'a session that has ended', input: trade('grower.404', '1'), expected: 'sign-in' },
    ],
  });
  await control.send('POST', '/authorizers/own section/uses', { apiId: headgates, operationIds: ['POST /gates/{gateId}/positions'], called: true });
  await control.send('POST', '/authorizers/water right/uses', { apiId: allotments, operationIds: ['POST /rights/{rightId}/trades'], called: true });
}

/** Consumers that are no clients of a provider, and one that is. */
async function addClients(control, providerId) {
  const add = async (name, owner, credential, roles = []) => {
    const { client } = await control.send('POST', '/clients', { name, owner, contact: `${owner.split(' ')[0].toLowerCase()}@velmora.example`, roles });
    return control.send('POST', `/clients/${client.id}/credentials`, credential);
  };
  const key = await add('Open data site', 'Commons desk', { kind: 'key', name: 'site, since spring' }, ['open-data']);
  const basic = await add('Old billing job', 'Accounts office', { kind: 'basic', name: 'billing' });
  await add('Canal logger fleet', 'Field works', { kind: 'provider-client', name: 'at Trust Sign-in', providerId, providerClient: 'canal-loggers' });
  const { client } = await control.send('POST', '/clients', { name: 'Weather mirror', owner: 'Basin observatory', enabled: false });
  await control.send('POST', `/clients/${client.id}/credentials`, { kind: 'key', name: 'trial' });
  return { openDataKey: key.secret, billing: `billing:${basic.secret}` };
}

const from = (paths, change = {}) => ({ paths, split: 'none', stripPrefixes: [], table: [], unlisted: 'keep', fallback: [], ...change });

/** The partner agency: scopes in `scp`, roles two levels down, the tenant in `org`. */
async function trustRegistry(control, registry) {
  const made = await control.send('POST', '/providers', { name: 'State Water Registry', issuer: registry.issuer, allowLoopbackHttp: true });
  const claimMap = {
    ...made.claimMap,
    scopes: from(['scp']),
    roles: from(['/registry/access/roles'], { table: [{ from: 'partner-agency', to: ['partner'] }], unlisted: 'drop' }),
    tenant: from(['org']),
  };
  return control.send('PATCH', `/providers/${made.id}`, { claimMap });
}

/** The contractor: opaque tokens, asked about at its introspection endpoint. */
async function trustDunlin(control, dunlin) {
  const source = {
    kind: 'introspection',
    endpoint: dunlin.introspectionEndpoint,
    clientId: 'virga-gateway',
    secret: 'gateway-demo-secret',
    method: 'client_secret_basic',
    positiveSeconds: 60,
    negativeSeconds: 10,
    timeoutMs: 1500,
  };
  const made = await control.send('POST', '/providers', { name: 'Dunlin Fieldworks', issuer: dunlin.issuer, source, allowLoopbackHttp: true });
  return control.send('PATCH', `/providers/${made.id}`, {
    claimMap: { ...made.claimMap, groups: from(['crew'], { split: 'comma' }), attributes: [{ name: 'contractor', ...from(['contractor']) }] },
  });
}

async function bringIn(control, file, basePath, upstream, providers) {
  const { api } = await control.send('POST', '/apis', { source: { text: contract(file) }, basePath, upstreamUrl: upstream.address });
  await control.send('PATCH', `/apis/${api.id}`, {
    schemes: api.schemes.map((scheme) => ({ ...scheme, providers })),
    resource: { ...api.resource, identifier: upstream.resource },
    token: { type: 'at+jwt', anyAudience: false, audiences: [upstream.resource] },
  });
  return api.id;
}

async function addPersonas(control, providerId, gates, readings) {
  const program = (name, clientId, clientSecret, scopes, resource) =>
    control.send('POST', '/personas', { name, providerId, grant: 'client_credentials', clientId, clientSecret, scopes, resource });
  const person = (name, clientId, clientSecret, scopes, resource) =>
    control.send('POST', '/personas', { name, providerId, grant: 'authorization_code', clientId, ...(clientSecret ? { clientSecret } : {}), scopes, resource });
  await program('Canal logger fleet', 'canal-loggers', 'loggers-demo-secret', ['readings:write'], readings);
  await program('Open data job', 'open-data', 'open-data-demo-secret', ['gates:read'], gates);
  await program('Workshop, may operate gates', 'workshop', 'workshop-demo-secret', ['gates:read', 'gates:operate'], gates);
  await person('Rider, on the rider tablet', 'rider-tablet', '', ['openid', 'gates:read', 'gates:operate'], gates);
  await person('Grower, in the grower app', 'grower-app', '', ['openid', 'gates:read'], gates);
  await person('Dispatcher, at the desk', 'dispatcher-desk', 'desk-demo-secret', ['openid', 'gates:read', 'gates:operate'], gates);
}
