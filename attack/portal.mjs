// Ways through the portal: into the console, into other teams, past what the operator decided, past rules about addresses, and
// ways to stall it.
import { raw, request, statusOf } from './wire.mjs';

const CONTRACT = `{"openapi":"3.1.0","info":{"title":"Shown","version":"1"},"paths":{"/guarded":{"get":{"security":[{"key":[]}]}},"/open":{"get":{"security":[]}}},"components":{"securitySchemes":{"key":{"type":"apiKey","in":"header","name":"X-Shown-Key"}}}}`;
const PASSWORD = 'attack-long-enough';

const at = (target, path) => `${target.origin}/portal/v1${path}`;

/** A visitor with a memory for cookies. */
function visitor(portal) {
  let cookie = '';
  let csrf = '';
  const call = async (method, path, body, headers = {}) => {
    for (let turn = 0; ; turn++) {
      const answer = await fetch(at(portal, path), {
        method,
        redirect: 'manual',
        headers: { cookie, origin: portal.origin, 'x-csrf-token': csrf, ...(body === undefined ? {} : { 'content-type': 'application/json' }), ...headers },
        ...(body === undefined ? {} : { body: JSON.stringify(body) }),
      });
      if (answer.status === 429 && turn < 8) {
        await new Promise((resolve) => setTimeout(resolve, Number(answer.headers.get('retry-after') ?? 1) * 1000));
        continue;
      }
      for (const line of answer.headers.getSetCookie()) cookie = line.split(';')[0];
      const text = await answer.text();
      return { status: answer.status, text, body: text.startsWith('{') ? JSON.parse(text) : null };
    }
  };
  return {
    call,
    get cookie() {
      return cookie;
    },
    site: async () => {
      const { body } = await call('GET', '/site');
      csrf = body.session?.csrfToken ?? '';
      return body;
    },
  };
}

/** A team with an owner, and an API that it sees, made once for all of these. */
let made = null;
async function shown(world) {
  if (made) return made;
  const { must, root, upstream, publish, portal } = world;
  const { api } = await must('POST', '/apis', { source: { text: CONTRACT }, name: `shown ${root}`, basePath: `${root}/t`, upstreamUrl: upstream.url });
  const other = await must('POST', '/apis', { source: { text: CONTRACT }, name: `not shown ${root}`, basePath: `${root}/t/inner`, upstreamUrl: upstream.url });
  await must('PATCH', `/apis/${api.id}/operations`, { ids: ['GET /open'], addresses: { kind: 'only', of: ['203.0.113.0/24'] } });
  const plan = await must('POST', '/plans', {
    name: `Portal ${root.slice(-6)}`,
    description: '',
    covers: [{ apiId: api.id, operations: 'ALL' }],
    rate: null,
    quota: null,
    atOnce: null,
    requestBytes: null,
    mode: 'enforce',
    approval: 'by-hand',
  });
  await publish();
  await must('PUT', `/portal/apis/${api.id}`, { seen: 'signed-in', teams: [] });
  const somebody = async (name) => {
    const team = await must('POST', '/portal/teams', { name: `${name} ${root}` });
    const { link } = await must('POST', `/portal/teams/${team.id}/invitations`, { role: 'owner' });
    const one = visitor(portal);
    const account = `${name}${root.replace(/\W/g, '')}`;
    const { status } = await one.call('POST', '/invitations/account', { token: link.split('#')[1], name: account, shownName: name, password: PASSWORD });
    if (status !== 204) throw new Error(`${name} could not come in: ${status}`);
    await one.site();
    return { ...one, call: one.call, site: one.site, cookieNow: () => one.cookie, teamId: team.id, account };
  };
  return (made = { api, inner: other.api, plan, owner: await somebody('owner'), thief: await somebody('thief') });
}

export const PORTAL = {
  'into the console with what the portal gave, and the other way round': async (world) => {
    const { owner } = await shown(world);
    const cookie = owner.cookieNow();
    const value = cookie.split('=')[1];
    for (const one of [cookie, `virga_session=${value}`, `virga_session=${value}; ${cookie}`, `virga_portal=${value}; virga_session=`]) {
      const answer = await fetch(`${world.control}/control/v1/clients`, { headers: { cookie: one } });
      if (answer.status !== 401) return `${answer.status} for a session of the portal at the control API`;
    }
    for (const authorization of [`Bearer ${value}`, `Bearer ${world.token}`]) {
      const answer = await fetch(at(world.portal, `/teams/${owner.teamId}`), { headers: { authorization } });
      if (answer.status !== 401) return `${answer.status} for a bearer at the portal`;
    }
    for (const path of ['/control/v1/clients', '/nodes/v1/feed', '/scanner/v1/leaks', '/portal/v1/../../control/v1/clients']) {
      const received = await raw(world.portal, request('GET', path, { Authorization: `Bearer ${world.token}` }).replace('attack.example', world.portal.host));
      if (statusOf(received) === 200 && /application\/json/i.test(received)) return `${path} is served at the portal`;
    }
    return null;
  },

  'a host name of one’s own, a form of another page, text in place of JSON, bodies that are too large or too deep': async (world) => {
    const { owner } = await shown(world);
    const own = { Cookie: owner.cookieNow() };
    const post = (headers, body) =>
      raw(
        world.portal,
        request('POST', '/portal/v1/teams', { 'Content-Length': String(Buffer.byteLength(body)), ...own, ...headers }, body).replace(
          'attack.example',
          world.portal.host,
        ),
      );
    const wanted = [
      [await raw(world.portal, request('GET', '/portal/v1/site', own)), [421]],
      [await post({ 'Content-Type': 'text/plain' }, '{"name":"forged"}'), [415, 403]],
      [await post({ 'Content-Type': 'application/x-www-form-urlencoded' }, 'name=forged'), [415, 403]],
      [await post({ 'Content-Type': 'multipart/form-data; boundary=x' }, '--x--'), [415, 403]],
      [await post({ 'Content-Type': 'application/json' }, '{"name":"forged"}'), [403]],
      [await post({ 'Content-Type': 'application/json' }, `${'['.repeat(5000)}${']'.repeat(5000)}`), [400]],
      [await post({ 'Content-Type': 'application/json' }, `"${'a'.repeat(600_000)}"`), [413]],
      [
        await raw(
          world.portal,
          request('POST', '/portal/v1/session', { 'Content-Type': 'application/json', 'Content-Length': '20000' }, `"${'a'.repeat(19_998)}"`).replace(
            'attack.example',
            world.portal.host,
          ),
        ),
        [413],
      ],
    ];
    const wrong = wanted.findIndex(([received, statuses]) => !statuses.includes(statusOf(received)));
    return wrong < 0 ? null : `${statusOf(wanted[wrong][0])} for the one of place ${wrong}`;
  },

  'many at one time: one invitation, one plan, keys beyond the bound': async (world) => {
    const { owner, plan } = await shown(world);
    const { body: client } = await owner.call('POST', `/teams/${owner.teamId}/clients`, { name: 'crowd' });
    const base = `/teams/${owner.teamId}/clients/${client.id}`;
    const asked = await Promise.all(Array.from({ length: 20 }, () => owner.call('POST', `${base}/plans`, { planId: plan.id, reason: '' })));
    if (asked.filter(({ status }) => status === 201).length !== 1) return 'a plan was asked for twice at one time';
    await Promise.all(Array.from({ length: 40 }, (_, index) => owner.call('POST', `${base}/keys`, { name: `k${index}` })));
    const { body: now } = await owner.call('GET', base);
    const good = now.credentials.filter(({ state }) => state === 'good').length;
    if (good > 10) return `${good} good keys where 10 are allowed`;
    await Promise.all(Array.from({ length: 80 }, (_, index) => owner.call('POST', `/teams/${owner.teamId}/clients`, { name: `many ${index}` })));
    const { body: list } = await owner.call('GET', `/teams/${owner.teamId}/clients`);
    return list.items.length > 50 ? `${list.items.length} clients where 50 are allowed` : null;
  },

  'past a rule about addresses by trying a call from the portal, and by a mark of one’s own': async (world) => {
    const { owner, api } = await shown(world);
    world.upstream.ran.length = 0;
    const { body } = await owner.call('POST', '/attempts', {
      apiId: api.id,
      method: 'GET',
      target: `${world.root}/t/open`,
      headers: [{ name: 'x-forwarded-for', value: '203.0.113.9' }],
    });
    if (body.status !== 403) return `${body.status} from an address that may not call`;
    const stamp = String(Date.now());
    for (const mark of [
      '203.0.113.9',
      `${stamp}~n~203.0.113.9~`,
      `${stamp}~n~203.0.113.9~${'A'.repeat(43)}`,
      `${stamp}~n~203.0.113.9~${Buffer.from('x'.repeat(32)).toString('base64url')}`,
    ]) {
      const received = await raw(world.gateway, request('GET', `${world.root}/t/open`, { 'X-Virga-Caller': mark }));
      if (statusOf(received) !== 403) return `${statusOf(received)} for a mark of one’s own`;
    }
    return world.upstream.ran.length > 0 ? 'a request reached the service' : null;
  },

  'another API than the one that is seen, by every spelling of its path': async (world) => {
    const { owner, api, inner } = await shown(world);
    const { root } = world;
    const calls = [
      [inner.id, `${root}/t/inner/open`],
      [api.id, `${root}/t/inner/open`],
      [api.id, `${root}/t/x/../inner/open`],
      [api.id, `${root}/t/%69nner/../inner/open`],
      [api.id, `${root}/t//inner/open`],
      [api.id, `${root}/t/./inner/open`],
      [api.id, `${root}/t/%2e/inner/open`],
      [api.id, `${root}/t%2finner/open`],
      [api.id, `http://127.0.0.1:9${root}/t/open`],
      [api.id, `//elsewhere.example${root}/t/open`],
      [api.id, `${root}/t/inner;x/open`],
    ];
    for (const [apiId, target] of calls) {
      const { status, body } = await owner.call('POST', '/attempts', { apiId, method: 'GET', target, headers: [] });
      if (status < 400 && body.status < 400) return `${target} was answered ${body.status}`;
    }
    return null;
  },

  'names and passwords tried from many sides; nobody is locked out by it': async (world) => {
    const { owner } = await shown(world);
    const tried = await Promise.all(
      Array.from({ length: 60 }, (_, index) =>
        raw(world.portal, loginOf(world.portal, owner.account, `wrong-password-${index}`), { from: `127.0.1.${index + 1}` }),
      ),
    );
    if (tried.some((received) => statusOf(received) === 204)) return 'a wrong password came in';
    const checked = tried.filter((received) => statusOf(received) === 401).length;
    await new Promise((resolve) => setTimeout(resolve, 1500));
    const right = await raw(world.portal, loginOf(world.portal, owner.account, PASSWORD), { from: '127.0.2.1' });
    return statusOf(right) === 204 ? null : `${statusOf(right)} for the right password after ${checked} wrong ones of others`;
  },

  'another team’s things through one’s own, while they are given away': async (world) => {
    const { owner, thief } = await shown(world);
    const { client } = await world.must('POST', '/clients', { name: `passed round ${world.root}` });
    const { credential } = await world.must('POST', `/clients/${client.id}/credentials`, { kind: 'key', name: 'k' });
    let stop = false;
    const passing = (async () => {
      for (let turn = 0; turn < 12; turn++)
        await world.must('PUT', `/portal/clients/${client.id}/team`, { teamId: turn % 2 === 0 ? owner.teamId : thief.teamId });
      await world.must('PUT', `/portal/clients/${client.id}/team`, { teamId: owner.teamId });
      stop = true;
    })();
    while (!stop) {
      const { status } = await thief.call('PATCH', `/teams/${owner.teamId}/clients/${client.id}`, { name: 'stolen' });
      if (status !== 404) return `${status} in another team’s name`;
    }
    await passing;
    const taken = await thief.call('DELETE', `/teams/${thief.teamId}/clients/${client.id}/credentials/${credential.id}`);
    const kept = await world.must('GET', `/clients/${client.id}`);
    if (taken.status !== 404 || kept.name === 'stolen' || kept.credentials[0].state !== 'good') return 'another team’s client was changed';
    return null;
  },
};

function loginOf(portal, name, password) {
  const body = JSON.stringify({ name, password });
  return request('POST', '/portal/v1/session', { 'Content-Type': 'application/json', 'Content-Length': String(Buffer.byteLength(body)) }, body).replace(
    'attack.example',
    portal.host,
  );
}
