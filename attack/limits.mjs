// Ways past plans and limits, to use up what belongs to others, and to stall whoever looks for leaked keys.
import { readFileSync } from 'node:fs';
import { connect } from 'node:net';
import { join } from 'node:path';
import { raw, request, statusOf } from './wire.mjs';

const CONTRACT = `{"openapi":"3.1.0","info":{"title":"Limited","version":"1"},"paths":{"/guarded":{"get":{"security":[{"key":[]}]}},"/x/lock":{"get":{"security":[{"key":[]}]}},"/open":{"get":{"security":[]}},"/hang":{"get":{"security":[{"key":[]}]}},"/take":{"post":{"security":[{"key":[]}]}}},"components":{"securitySchemes":{"key":{"type":"apiKey","in":"header","name":"X-Limited-Key"}}}}`;
const limit = (name, by, requests) => ({ name, by, method: 'fixed', requests, seconds: 2_678_400, burst: null, mode: 'enforce' });

/** An API with limits, made once for all of these. */
let made = null;
async function limited({ must, root, upstream, publish }) {
  if (made) return made;
  const { api } = await must('POST', '/apis', { source: { text: CONTRACT }, name: `limited ${root}`, basePath: `${root}/q`, upstreamUrl: upstream.url });
  const set = (ids, rule) => must('PATCH', `/apis/${api.id}/operations`, { ids, ...rule });
  await set(['GET /guarded'], { limits: [limit('own', { kind: 'client' }, 5)] });
  await set(['GET /open'], { limits: [limit('address', { kind: 'address' }, 3), limit('team', { kind: 'header', name: 'x-team' }, 2)] });
  const plan = await must('POST', '/plans', {
    name: `Attack ${root.slice(-6)}`,
    description: '',
    covers: [{ apiId: api.id, operations: ['GET /hang', 'POST /take'] }],
    rate: null,
    quota: null,
    atOnce: 2,
    requestBytes: 10,
    mode: 'enforce',
    approval: 'by-hand',
  });
  await set(['GET /hang', 'POST /take', 'GET /x/lock'], { plan: { asked: true, attribute: null } });
  await publish();
  const client = async (name) => {
    const { client: one } = await must('POST', '/clients', { name: `${name} ${root}` });
    const { secret } = await must('POST', `/clients/${one.id}/credentials`, { kind: 'key', name: 'k' });
    return { id: one.id, key: secret };
  };
  const [has, none, waits] = [await client('has'), await client('none'), await client('waits')];
  const give = (clientId, change = {}) => must('POST', '/subscriptions', { clientId, planId: plan.id, startsAt: null, endsAt: null, ...change });
  await give(has.id);
  await give(waits.id, { waits: true });
  return (made = { api, plan, has, none, waits });
}

export const LIMITS = {
  'more requests than a limit lets through, by every way round': async (world) => {
    const { has } = await limited(world);
    const { gateway, root, upstream } = world;
    upstream.ran.length = 0;
    const get = (headers = {}, path = '/guarded', method = 'GET') => request(method, `${root}/q${path}`, { 'X-Limited-Key': has.key, ...headers });
    const plain = get();
    const pipelined = plain.replace('Connection: close', 'Connection: keep-alive').repeat(10);
    const texts = [
      pipelined,
      ...Array.from({ length: 20 }, (_, index) => get({ 'X-Forwarded-For': `198.51.100.${index}`, 'User-Agent': `a${index}` })),
      ...Array.from({ length: 10 }, (_, index) => get({}, `/guarded?x=${index}`)),
      get({ 'x-limited-KEY': has.key }).replace('X-Limited-Key: ', 'X-Other: '),
      get({ 'X-Client-Id': 'other', Authorization: 'Bearer x' }),
      get({}, '/guarded', 'HEAD'),
      get({ 'Cache-Control': 'no-cache', 'If-None-Match': '*' }),
      ...Array.from({ length: 10 }, () => plain),
    ];
    await Promise.all(texts.map((text) => raw(gateway, text, { silenceMs: 3000 })));
    const ran = upstream.ran.length;
    return ran === 5 ? null : `${ran} requests were let through by a limit of 5`;
  },
  'addresses and values of headers made up to escape a limit': async (world) => {
    await limited(world);
    const { gateway, root, upstream } = world;
    upstream.ran.length = 0;
    const get = (headers) => request('GET', `${root}/q/open`, headers);
    const texts = [
      ...Array.from({ length: 20 }, (_, index) => get({ 'X-Team': `t${index}`, 'X-Forwarded-For': `203.0.113.${index}`, Forwarded: `for=203.0.113.${index}` })),
      ...Array.from({ length: 5 }, () => get({})),
      get({ 'X-Team': '' }),
      get({ 'X-Team': 'a, b' }),
      get({ X_Team: 'c' }),
    ];
    for (const text of texts) await raw(gateway, text, { silenceMs: 3000 });
    const ran = upstream.ran.length;
    return ran <= 3 ? null : `${ran} requests were let through by a limit of 3 an address`;
  },
  'plans of others, plans that wait, and bodies that are more than a plan allows': async (world) => {
    const { has, none, waits } = await limited(world);
    const { gateway, root, upstream } = world;
    upstream.ran.length = 0;
    const post = (key, body, headers = {}) =>
      request('POST', `${root}/q/take`, { 'X-Limited-Key': key, 'Content-Length': String(body.length), ...headers }, body);
    const chunked = (key, body) => request('POST', `${root}/q/take`, { 'X-Limited-Key': key, 'Transfer-Encoding': 'chunked' }, body);
    const calls = [
      ['nobody’s plan', post(none.key, 'x')],
      ['a plan that waits', post(waits.key, 'x')],
      ['an operation that the plan does not open', request('GET', `${root}/q/x/lock`, { 'X-Limited-Key': has.key })],
      ['eleven bytes', post(has.key, 'x'.repeat(11))],
      ['eleven bytes of no said length', chunked(has.key, 'b\r\nabcdefghijk\r\n0\r\n\r\n')],
      ['eleven bytes one by one', chunked(has.key, `${'1\r\nx\r\n'.repeat(11)}0\r\n\r\n`)],
      ['bytes without end', chunked(has.key, '400\r\n' + 'x'.repeat(1024) + '\r\n')],
      ['eleven bytes with a length that Connection takes away', post(has.key, 'x'.repeat(11), { Connection: 'close, content-length' })],
      ['a client named in a header', post(none.key, 'x', { 'X-Client': has.id, 'X-Plan': 'Attack', 'X-Subscription': has.id })],
      [
        'two keys',
        `POST ${root}/q/take HTTP/1.1\r\nHost: x\r\nConnection: close\r\nX-Limited-Key: ${none.key}\r\nX-Limited-Key: ${has.key}\r\nContent-Length: 1\r\n\r\nx`,
      ],
    ];
    for (const [name, text] of calls) {
      const status = statusOf(await raw(gateway, text, { silenceMs: 3000 }));
      if (status < 400 || status > 499) return `${name} was answered ${status}`;
    }
    const good = statusOf(await raw(gateway, post(has.key, 'x'.repeat(10)), { silenceMs: 3000 }));
    return good === 200 ? null : `a good request was answered ${good}`;
  },
  'requests under way that are broken off again and again, to use up all places': async (world) => {
    const { has } = await limited(world);
    const { gateway, root } = world;
    const text = request('GET', `${root}/q/hang`, { 'X-Limited-Key': has.key });
    const abandon = () =>
      new Promise((resolve) => {
        const socket = connect(Number(gateway.port), gateway.hostname, () => {
          socket.write(text);
          setTimeout(() => {
            socket.resetAndDestroy();
            resolve();
          }, 40);
        });
        socket.on('error', () => resolve());
      });
    for (let round = 0; round < 15; round++) await Promise.all([abandon(), abandon(), abandon()]);
    await new Promise((resolve) => setTimeout(resolve, 500));
    const body = request('POST', `${root}/q/take`, { 'X-Limited-Key': has.key, 'Content-Length': '1' }, 'x');
    const statuses = [];
    for (let tries = 0; tries < 4; tries++) statuses.push(statusOf(await raw(gateway, body, { silenceMs: 3000 })));
    return statuses.every((status) => status === 200) ? null : `afterwards good requests were answered ${statuses.join()}`;
  },
  'plans, limits, metadata and lists that must not be taken': async (world) => {
    const { api, has } = await limited(world);
    const { call } = world;
    const refused = [];
    const good = limit('x', { kind: 'client' }, 1);
    const odd = [null, [], {}, 'x', -1, 0, 1.5, 1e21, '5', true];
    for (const value of odd) {
      refused.push(['PATCH', '/limits', { limits: [{ ...good, requests: value }] }], ['PATCH', '/limits', { limits: [{ ...good, seconds: value }] }]);
      if (!Array.isArray(value) || value.length > 0) refused.push(['PATCH', `/apis/${api.id}`, { limits: value }]);
      refused.push(['PATCH', '/limits', { limits: [{ ...good, by: value }] }], ['PATCH', `/apis/${api.id}`, { plan: value }]);
      if (value !== null) refused.push(['PATCH', '/limits', { guessing: value }]);
    }
    refused.push(
      ['PATCH', `/clients/${has.id}`, JSON.parse('{"metadata":{"__proto__":{"admin":true}}}')],
      ['PATCH', `/clients/${has.id}`, { metadata: { constructor: 1 } }],
      ['PATCH', `/clients/${has.id}`, { metadata: 'x' }],
      ['POST', '/clients/list', { text: `name\n${'x'.repeat(200_000)}`, tryOnly: false }],
      ['POST', '/clients/list', { text: 'name,name\na,b', tryOnly: 'no' }],
      ['POST', '/subscriptions', { clientId: has.id, planId: '../x', startsAt: null, endsAt: null }],
      ['POST', '/subscriptions', { clientId: has.id, planId: { a: 1 }, startsAt: null, endsAt: null }],
      ['PATCH', '/subscriptions/x', { state: 'active' }],
    );
    for (const [method, path, body] of refused) {
      const { status } = await call(method, path, body);
      if (status < 400 || status > 499) return `${method} ${path} ${JSON.stringify(body).slice(0, 120)} was answered ${status}`;
    }
    const { status } = await call('GET', '/limits');
    return status === 200 ? null : `the limits cannot be read any more: ${status}`;
  },
  'texts that are made to stall whoever looks for leaked keys, or to be kept': async (world) => {
    const { none } = await limited(world);
    const { call, folder } = world;
    const mark = `attack-mark-${Date.now()}`;
    for (const filler of ['vrk_'.repeat(400_000), 'Basic '.repeat(250_000), 'A'.repeat(1_500_000), `${'ab-cd_ef=gh/ij+klmnop '.repeat(60_000)}`]) {
      const from = Date.now();
      const { status, body } = await call('POST', '/leaks', { text: `${mark} ${none.key} ${filler}` });
      if (status !== 200 || body.found.length !== 1) return `a key among ${filler.slice(0, 12)}… was not found (${status})`;
      if (Date.now() - from > 15_000) return `${filler.slice(0, 12)}… took ${Date.now() - from} ms`;
    }
    for (const file of ['virga.sqlite', 'virga.sqlite-wal']) if (readFileSync(join(folder, file)).includes(mark)) return `a pasted text is kept in ${file}`;
    return null;
  },
};
