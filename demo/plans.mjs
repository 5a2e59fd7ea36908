import { providerClient } from '@virga/core';

const ZONE = 'America/Denver';
const NOTHING = { description: '', rate: null, quota: null, atOnce: null, requestBytes: null, mode: 'enforce', approval: 'by-hand' };

/** Plans, and what limits beside them: in the draft, before it is published. */
export async function addPlans(control, { headgates, readings, allotments }) {
  const plan = (name, change) => control.send('POST', '/plans', { ...NOTHING, name, ...change });
  await plan('Open data', {
    description: 'For sites that show the volumes of the basin',
    covers: [{ apiId: readings, operations: ['GET /basin-volumes'] }],
    rate: { requests: 30, seconds: 60, burst: 5 },
    quota: { requests: 2000, per: 'day', zone: ZONE },
    requestBytes: 0,
  });
  await plan('Field devices', {
    description: 'For loggers and kits that post readings',
    covers: [{ apiId: readings, operations: ['POST /readings', 'GET /meters'] }],
    rate: { requests: 1200, seconds: 60, burst: 200 },
    atOnce: 20,
    requestBytes: 262_144,
  });
  await plan('Growers', {
    description: 'For apps of growers',
    covers: [{ apiId: allotments, operations: 'ALL' }],
    quota: { requests: 40, per: 'day', zone: ZONE },
    approval: 'by-itself',
  });
  const asked = { plan: { asked: true, attribute: null } };
  await control.send('PATCH', `/apis/${readings}/operations`, { ids: ['GET /basin-volumes', 'POST /readings'], ...asked });
  await control.send('PATCH', `/apis/${allotments}/operations`, { ids: ['GET /rights/{rightId}/statements'], ...asked });
  // Nobody moves a gate more often than this, whatever the token allows.
  const moves = { name: 'moves of gates', by: { kind: 'principal' }, method: 'sliding', requests: 6, seconds: 60, burst: null, mode: 'enforce' };
  await control.send('PATCH', `/apis/${headgates}/operations`, { ids: ['POST /gates/{gateId}/positions'], limits: [moves] });
  const whole = { name: 'each address', by: { kind: 'address' }, method: 'bucket', requests: 3000, seconds: 60, burst: 600, mode: 'observe' };
  await control.send('PATCH', '/limits', {
    limits: [whole],
    guessing: { mode: 'enforce', seconds: 60, byAddress: 600, byCredential: null },
    counting: { away: 'refuse', sharePercent: 50, tell: 'always' },
  });
}

/** Who has which plan: some have theirs, one waits, one is over; and a key that leaked. */
export async function addSubscriptions(control, providerId) {
  const client = async (name, owner, credential) => {
    const { client: made } = await control.send('POST', '/clients', { name, owner, contact: `${owner.split(' ')[0].toLowerCase()}@velmora.example` });
    return { id: made.id, ...(credential ? await control.send('POST', `/clients/${made.id}/credentials`, credential) : {}) };
  };
  const give = (clientId, planId, change = {}) => control.send('POST', '/subscriptions', { clientId, planId, startsAt: null, endsAt: null, ...change });
  await give('open-data-site', 'open-data');
  await give('canal-logger-fleet', 'field-devices');
  const app = await client('Grower app', 'Member services', { kind: 'provider-client', name: 'at Trust Sign-in', providerId, providerClient: 'grower-app' });
  await give(app.id, 'growers');
  const school = await client('School of the canal', 'Basin schools', { kind: 'key', name: 'class of this year' });
  await give(school.id, 'open-data', { waits: true, reason: 'Pupils draw the volumes of the season' });
  const museum = await client('Water museum', 'Basin museum', { kind: 'key', name: 'kiosk' });
  const { subscription } = await give(museum.id, 'open-data');
  await control.send('PATCH', `/subscriptions/${subscription.id}`, { state: 'ended' });
  const map = await client('Old map viewer', 'Map office', { kind: 'key', name: 'in the page of the map' });
  await control.send('POST', '/leaks', { text: `+ const KEY = '${map.secret}'; // in a public page` });
}

/** The same as changes of a directory, for a simulation that has one of its own. */
export async function simulatedSubscriptions(control) {
  const { items } = await control.get('/subscriptions?limit=500');
  const joined = await Promise.all(['canal-logger-fleet', 'grower-app'].map((id) => control.get(`/clients/${id}`)));
  const { items: providers } = await control.get('/providers');
  const [signIn] = providers;
  return [
    ...items.map(({ id, clientId, planId, state, startsAt, endsAt }) => ({
      what: 'subscription',
      id,
      value: { id, clientId, planId, state, startsAt, endsAt },
    })),
    ...joined.flatMap(({ id: clientId, credentials }) =>
      credentials.map(({ id, name, hint }) => ({
        what: 'credential',
        id,
        value: {
          id,
          clientId,
          kind: 'provider-client',
          name,
          lookup: providerClient(signIn.id, hint.split(' of ')[0]),
          digest: null,
          expiresAt: null,
          revokedAt: null,
        },
      })),
    ),
  ];
}
