// What the attack needs around the gateway: an upstream as lenient as the most used web framework, an issuer, and a
// control plane with a node, its own or one that runs already.
import express from 'express';
import { exportJWK, generateKeyPair, SignJWT } from 'jose';
import { fork } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { mkdtempSync, readFileSync } from 'node:fs';
import { createServer } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { ROOT } from '../scripts/lib/prepare.mjs';
import { rawAnswers } from './raw-answers.mjs';
import { VAGUE_PATHS } from './vague-contract.mjs';

export const AUDIENCE = 'https://attack.example';
/** Small, so that a handful of connections is enough to hold all of them. */
const LIMITS = { connections: 8, waiting: 8, waitMs: 1000, sharePercent: 50, leastBytesPerSecond: 500, paceMs: 1000 };

/** From where the API about addresses may be called, and the hop that is believed; both on this machine. */
export const INSIDE = '127.0.0.77';
export const HOP = '127.0.0.9';

const listening = (server) => new Promise((resolve) => server.listen(0, '127.0.0.1', () => resolve(`http://127.0.0.1:${server.address().port}`)));

/** What an upstream answers with that may not leave, in several wrappings. */
export const SECRET_MAIL = 'ada@orchard.example';
const LEAKS = {
  plain: ['application/json', JSON.stringify({ rows: [{ contact: SECRET_MAIL }] })],
  twice: ['application/json', `{"contact":"${SECRET_MAIL}","contact":"none"}`],
  escaped: ['application/json', `{"contact":"ada\\u0040orchard.example"}`],
  named: ['application/json', `{"\\"q\\\\":["${SECRET_MAIL}"]}`],
  text: ['text/plain', `write to ${SECRET_MAIL}.`],
  typeless: ['', `write to ${SECRET_MAIL}.`],
  html: ['text/html', `<a href="mailto:${SECRET_MAIL}">Ada</a>`],
  odd: ['application/vnd.orchard+json; charset=utf-8', JSON.stringify([SECRET_MAIL])],
  broken: ['application/json', `{"contact":"${SECRET_MAIL}"`],
  deep: ['application/json', `${'['.repeat(5000)}"${SECRET_MAIL}"${']'.repeat(5000)}`],
  long: ['application/json', JSON.stringify({ pad: 'x'.repeat(900_000), contact: SECRET_MAIL })],
  many: ['text/plain', Array.from({ length: 25_000 }, (_, index) => `u${index}@orchard.example`).join(' ')],
  utf16: ['application/json', Buffer.from(JSON.stringify({ contact: SECRET_MAIL }), 'utf16le')],
  event: ['text/event-stream', `data: ${SECRET_MAIL}\n\n`],
};
export const RAW_ANSWERS = rawAnswers(SECRET_MAIL);
function leak(how, res) {
  // The connection stays: what comes behind an answer waits there for the next one.
  if (Object.hasOwn(RAW_ANSWERS, how)) return res.socket.write(RAW_ANSWERS[how], 'latin1', () => setTimeout(() => res.socket?.end(), 300));
  if (how === 'gzip') return res.set({ 'content-type': 'application/json', 'content-encoding': 'gzip' }).send(gzipSync(LEAKS.plain[1]));
  if (how === 'bomb')
    return res.set({ 'content-type': 'application/json', 'content-encoding': 'gzip' }).send(gzipSync(`{"p":"${' '.repeat(9_000_000)}","c":"${SECRET_MAIL}"}`));
  if (how === 'field') return res.set({ 'x-contact': SECRET_MAIL }).json({});
  if (how === 'moved') return res.redirect(`/people?mail=${SECRET_MAIL}`);
  if (how === 'part') return res.status(206).set({ 'content-type': 'application/json', 'content-range': 'bytes 0-9/99' }).send(LEAKS.plain[1]);
  const [type, body] = LEAKS[how];
  if (type !== '') res.set('content-type', type);
  return res.end(body);
}
export const LEAK_NAMES = [...Object.keys(LEAKS), 'gzip', 'bomb', 'field', 'moved', 'part'];

/** Handlers of all APIs in one application; what ran is written down with what it was told. */
async function makeUpstream() {
  const ran = [];
  const app = express();
  const handle = (name, guarded) => (req, res) => {
    ran.push({ name, guarded, headers: req.headers, url: req.url });
    res.json({ ran: name });
  };
  app.get('/secure/accounts', handle('secure accounts', true));
  app.get('/x/lock', handle('x lock', true));
  app.get('/files/:name.json', handle('files json', true));
  app.get('/held/:gate', handle('held', true));
  app.get('/kept', handle('kept', true));
  app.get('/hostile/:how', handle('hostile', true));
  app.get('/unread', handle('unread', true));
  app.get('/guarded', handle('guarded', true));
  app.post('/guarded', handle('guarded', true));
  app.post('/sized', (req, res) => {
    const sized = { name: 'sized', guarded: false, bytes: 0, headers: req.headers, url: req.url };
    ran.push(sized);
    req.on('data', (part) => (sized.bytes += part.length));
    req.on('end', () => res.json({ ran: 'sized' }));
    req.on('error', () => undefined);
  });
  app.get('/leak/:how', (req, res) => leak(req.params.how, res));
  app.use(
    '/wild',
    (req, res) => void req.resume().on('end', () => res.type('json').send('{"__proto__":{"a":1},"constructor":{"b":2},"~":[1],"<script>":"x"}')),
  );
  app.get('/hang', () => undefined);
  app.get('/long', (_req, res) => {
    const more = () => {
      while (!res.destroyed && res.write(Buffer.alloc(65_536)));
    };
    res.on('drain', more);
    more();
  });
  app.post('/take', (req, res) => void req.resume().on('end', () => res.json({ ran: 'take' })));
  // Each of these runs when its body is there, as upstreams do.
  for (const name of ['take', 'scripted']) app.post(`/bodied/${name}`, (req, res) => void req.resume().on('end', () => handle(name, true)(req, res)));
  app.get('/files/:name', handle('files', false));
  app.get('/:any/:thing', handle('pair', false));
  app.post('/:any/:thing', handle('pair', false));
  app.get('/open', handle('open', false));
  const server = createServer(app);
  return { url: await listening(server), ran, server };
}

async function makeIssuer() {
  const { privateKey, publicKey } = await generateKeyPair('RS256', { extractable: true });
  const jwk = { ...(await exportJWK(publicKey)), kid: 'attack-1', alg: 'RS256', use: 'sig' };
  let issuer = '';
  const server = createServer((req, res) => {
    res.writeHead(200, { 'content-type': 'application/json' });
    res.end(JSON.stringify(req.url.endsWith('/keys') ? { keys: [jwk] } : { issuer, jwks_uri: `${issuer}/keys` }));
  });
  issuer = await listening(server);
  const claims = (change = {}) => {
    const now = Math.floor(Date.now() / 1000);
    return {
      iss: issuer,
      aud: AUDIENCE,
      sub: 'rider',
      client_id: 'tablet',
      iat: now,
      exp: now + 300,
      jti: randomBytes(6).toString('hex'),
      scope: 'read',
      ...change,
    };
  };
  const sign = (change = {}, header = {}, key = privateKey) =>
    new SignJWT(claims(change)).setProtectedHeader({ alg: 'RS256', kid: 'attack-1', typ: 'at+jwt', ...header }).sign(key);
  return { issuer, jwk, claims, sign, server };
}

/** A control plane with its node in a folder of its own. */
async function startOwn() {
  const folder = mkdtempSync(join(tmpdir(), 'virga-attack-'));
  const port = 20_000 + Math.floor(Math.random() * 12_000);
  const child = fork(join(ROOT, 'apps/server/dist/main.js'), [], {
    env: {
      ...process.env,
      VIRGA_DATA: folder,
      VIRGA_PORT: String(port),
      VIRGA_GATEWAY_PORT: String(port + 1),
      VIRGA_OPERATOR_PASSWORD: randomBytes(12).toString('hex'),
    },
    stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
  });
  await new Promise((resolve, reject) => {
    child.once('message', resolve);
    child.once('exit', (code) => reject(new Error(`the control plane could not start (exit ${code})`)));
  });
  const stop = () =>
    new Promise((resolve) => {
      child.once('exit', resolve);
      child.kill('SIGTERM');
    });
  return { folder, port, stop };
}

/** Contracts of the APIs that are attacked; guarded operations ask for the scope `read` of the issuer. */
const CONTRACTS = {
  outer: `{"openapi":"3.1.0","info":{"title":"Outer","version":"1"},"paths":{"/{a}/{b}":{"get":{"security":[]},"post":{"security":[]}}}}`,
  inner: `{"openapi":"3.1.0","info":{"title":"Inner","version":"1"},"security":[{"trust":["read"]}],"paths":{"/accounts":{"get":{}}},"components":{"securitySchemes":{"trust":{"type":"http","scheme":"bearer"}}}}`,
  mixed: `{"openapi":"3.1.0","info":{"title":"Mixed","version":"1"},"security":[{"trust":["read"]}],"paths":{"/x/lock":{"get":{}},"/{any}/{thing}":{"get":{"security":[]},"post":{"security":[]}},"/files/{name}.json":{"get":{}},"/files/{name}":{"get":{"security":[]}},"/guarded":{"get":{},"post":{}},"/open":{"get":{"security":[]}},"/hang":{"get":{"security":[]}},"/long":{"get":{"security":[]}},"/take":{"post":{"security":[]}}},"components":{"securitySchemes":{"trust":{"type":"http","scheme":"bearer"}}}}`,
  keyed: `{"openapi":"3.1.0","info":{"title":"Keyed","version":"1"},"paths":{"/guarded":{"get":{"security":[{"key":[]},{"basic":[]}]},"post":{"security":[{"key":[],"trust":["read"]}]}},"/x/lock":{"get":{"security":[{"trust":["read"]}]}},"/sized":{"post":{"security":[]}}},"components":{"securitySchemes":{"key":{"type":"apiKey","in":"header","name":"X-Attack-Key"},"basic":{"type":"http","scheme":"basic"},"trust":{"type":"http","scheme":"bearer"}}}}`,
  placed: `{"openapi":"3.1.0","info":{"title":"Placed","version":"1"},"security":[],"paths":{"/guarded":{"get":{},"post":{}},"/held/{gate}":{"get":{}},"/x/lock":{"get":{}}}}`,
  scripted: `{"openapi":"3.1.0","info":{"title":"Scripted","version":"1"},"security":[],"paths":{"/held/{gate}":{"get":{}},"/hostile/{how}":{"get":{}},"/kept":{"get":{"security":[{"trust":["read"]}]}}},"components":{"securitySchemes":{"trust":{"type":"http","scheme":"bearer"}}}}`,
  contracted: `{"openapi":"3.1.0","info":{"title":"Contracted","version":"1"},"security":[],"paths":{"/x/lock":{"get":{"security":[{"trust":["read"]}]}},"/guarded":{"get":{"security":[{"trust":["read"]}]}},"/take":{"post":{"requestBody":{"required":true,"content":{"application/json":{"schema":{"type":"object","properties":{"opening":{"type":"integer","maximum":100}},"additionalProperties":false}}}},"responses":{"default":{"description":""}}}},${VAGUE_PATHS}},"components":{"securitySchemes":{"trust":{"type":"http","scheme":"bearer"}}}}`,
  bodied: `{"openapi":"3.1.0","info":{"title":"Bodied","version":"1"},"security":[],"paths":{"/take":{"post":{"security":[]}},"/scripted":{"post":{"security":[]}}}}`,
  watched: `{"openapi":"3.1.0","info":{"title":"Watched","version":"1"},"security":[],"paths":{"/leak/{how}":{"get":{"security":[]}},"/take":{"post":{"security":[]}}}}`,
  unread: `{"openapi":"3.1.0","info":{"title":"Unread","version":"1"},"security":[],"paths":{"/unread":{"get":{"security":["trust"]}}},"components":{"securitySchemes":{"trust":{"type":"http","scheme":"bearer"}}}}`,
};

const script = (source, tables = []) => ({ source, timeMs: 20, megabytes: 8, tables });
/** Authorizers of the API that is called with scripts, and the operation that calls each. */
const SCRIPTS = [
  [
    'held',
    'GET /held/{gate}',
    {
      script: script(
        `function decide({ request, resource }) {
          const gate = request.parameters.gate;
          const free = /^[0-9]{1,4}$/.test(gate) && !(gate in resource.attack_lockouts);
          return { allow: free && request.query.crew === 'south', headers: free ? { 'x-attack-crew': 'south' } : {} };
        }`,
        ['attack_lockouts'],
      ),
      passes: ['x-attack-crew'],
    },
  ],
  [
    'kept',
    'GET /kept',
    {
      script: script('function decide({ principal }) { return { allow: principal.subject === "allowed", covers: [{ method: "*", path: "/**" }] } }'),
      cache: { seconds: 60, key: ['caller'] },
    },
  ],
  [
    'hostile',
    'GET /hostile/{how}',
    {
      script: script(`function decide({ request }) {
        if (request.parameters.how === 'loop') for (;;) { try { for (;;); } catch {} }
        if (request.parameters.how === 'memory') { const all = []; for (;;) all.push(new Uint8Array(1e6)); }
        return { allow: /^(a+)+$/.test('a'.repeat(40) + '!') };
      }`),
    },
  ],
];

/**
 * Makes everything ready. Without a folder a world of its own is started and ended; with one, the installation that runs
 * there is attacked through APIs that are added for it and taken away again by rolling back.
 */
export async function makeWorld(running) {
  const upstream = await makeUpstream();
  const issuer = await makeIssuer();
  const home = running ?? (await startOwn());
  const control = `http://127.0.0.1:${home.port}/control/v1`;
  const token = readFileSync(join(home.folder, 'control-token'), 'utf8').trim();
  const call = async (method, path, body) => {
    const answer = await fetch(control + path, {
      method,
      headers: { authorization: `Bearer ${token}`, ...(body === undefined ? {} : { 'content-type': 'application/json' }) },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    const text = await answer.text();
    return { status: answer.status, body: text.startsWith('{') ? JSON.parse(text) : null, text };
  };
  const must = async (method, path, body) => {
    const { status, body: answer, text } = await call(method, path, body);
    if (status >= 300) throw new Error(`${method} ${path}: ${status} ${text.slice(0, 300)}`);
    return answer;
  };
  const before = await must('GET', '/standing');
  if (before.changeCount > 0 && running) throw new Error('the draft has changes that are not published; publish or discard them first');
  const root = `/attack-${randomBytes(4).toString('hex')}`;
  const provider = await must('POST', '/providers', { name: `Attack ${root}`, issuer: issuer.issuer, allowLoopbackHttp: true });
  const bring = async (name, basePath, prefix) => {
    const { api } = await must('POST', '/apis', { source: { text: CONTRACTS[name] }, name: `${name} ${root}`, basePath, upstreamUrl: upstream.url + prefix });
    await must('PATCH', `/apis/${api.id}`, {
      upstream: { ...api.upstream, responseTimeoutMs: 4000, limits: LIMITS },
      schemes: api.schemes.map((scheme) => ({ ...scheme, providers: [provider.id] })),
      token: { type: 'ANY_TYPE', anyAudience: false, audiences: [AUDIENCE] },
    });
    return api;
  };
  await bring('outer', `${root}/p`, '');
  await bring('inner', `${root}/p/secure`, '/secure');
  const mixed = await bring('mixed', `${root}/m`, '');
  await bring('unread', `${root}/u`, '');
  const keyed = await bring('keyed', `${root}/k`, '');
  // Bodies are held against the contract, and what no operation matches is let through.
  const contracted = await bring('contracted', `${root}/c`, '');
  const parts = Object.fromEntries(['path', 'query', 'header', 'cookie', 'type', 'body'].map((part) => [`contract-${part}`, 'enforce']));
  await must('PATCH', `/apis/${contracted.id}`, { contract: { parts }, unmatched: [{ prefix: '/', mode: 'pass' }] });
  // Nothing of an e-mail address may come or go, and what no operation matches is learned.
  const watched = await bring('watched', `${root}/l`, '');
  const sensitive = { uses: [{ detector: 'email', request: 'refuse', answer: 'mask' }], bodyBytes: 1_048_576, largerBody: 'refuse' };
  await must('PATCH', `/apis/${watched.id}`, {
    access: { kind: 'public' },
    learning: { on: true, answers: 'successful' },
    sensitive,
    unmatched: [{ prefix: '/wild', mode: 'pass' }],
  });
  // Tokens are only observed where rights are enforced, and bodies have a size.
  const modes = { all: 'enforce', checks: { token: 'observe', claims: 'observe', proof: 'observe' } };
  await must('PATCH', `/apis/${keyed.id}/operations`, { ids: ['GET /x/lock'], modes });
  await must('PATCH', `/apis/${keyed.id}/operations`, { ids: ['POST /sized'], message: { requestBytes: 1000 } });
  // Anyone may call, from one address or through one hop that names it; one operation has its own rule.
  const placed = await bring('placed', `${root}/w`, '');
  await must('PATCH', `/apis/${placed.id}`, { addresses: { kind: 'only', of: [INSIDE, '192.0.2.0/24'] } });
  await must('PATCH', `/apis/${placed.id}/operations`, { ids: ['GET /x/lock'], addresses: { kind: 'except', of: ['127.0.0.0/8', '203.0.113.0/24'] } });
  const held = `request.query.season == "2026" && request.headers["x-reason"] == "repair" && !(request.parameters.gate in resource.attack_lockouts)`;
  await must('PUT', '/tables/attack_lockouts', { description: '', key: 'gate', columns: ['gate'], rows: [['7'], ['é']] });
  await must('PATCH', `/apis/${placed.id}/operations`, { ids: ['GET /held/{gate}'], conditions: [{ kind: 'own', name: 'held', source: held }] });
  const scripted = await bring('scripted', `${root}/s`, '');
  for (const [name, operationId, authorizer] of SCRIPTS) {
    const called = `${name} ${root.slice(1)}`;
    await must('PUT', `/authorizers/${encodeURIComponent(called)}`, {
      name: called,
      description: '',
      service: null,
      passes: [],
      cache: null,
      cases: [],
      ...authorizer,
    });
    await must('POST', `/authorizers/${encodeURIComponent(called)}/uses`, { apiId: scripted.id, operationIds: [operationId], called: true });
  }
  // Bodies are read by a condition, and by a script that says the same.
  const bodied = await bring('bodied', `${root}/b`, '/bodied');
  const narrow = '!has(request.body.force) && double(request.body.opening) <= 50.0 && request.body.opening == double(request.body.opening)';
  await must('PATCH', `/apis/${bodied.id}/operations`, { ids: ['POST /take'], conditions: [{ kind: 'own', name: 'narrow', source: narrow }] });
  const reader = `narrow ${root.slice(1)}`;
  const reads =
    'function decide({ request }) { const { body } = request; return { allow: typeof body?.opening === "number" && body.opening <= 50 && !("force" in body) } }';
  await must('PUT', `/authorizers/${encodeURIComponent(reader)}`, {
    ...{ name: reader, description: '', service: null, passes: [], cache: null, cases: [] },
    script: { ...script(reads), body: true },
  });
  await must('POST', `/authorizers/${encodeURIComponent(reader)}/uses`, { apiId: bodied.id, operationIds: ['POST /scripted'], called: true });
  if (!running) await must('PATCH', '/addresses', { callerAddress: { header: 'x-forwarded-for', trustedHops: [HOP] } });
  const { client } = await must('POST', '/clients', { name: `Attack ${root}` });
  const publish = () => must('POST', '/releases', { note: 'attack' });
  await publish();
  const { gatewayUrl } = await must('GET', '/standing');
  return {
    upstream,
    issuer,
    control: `http://127.0.0.1:${home.port}`,
    portal: new URL(`http://127.0.0.1:${home.port + 2}`),
    token,
    gateway: new URL(gatewayUrl),
    root,
    /** Whether a hop is trusted here: never set where somebody else's gateway runs. */
    hasHop: !running,
    provider,
    mixed,
    watched,
    folder: home.folder,
    client,
    call,
    must,
    publish,
    async end() {
      await must('DELETE', '/tables/attack_lockouts');
      await must('DELETE', `/clients/${client.id}`);
      if (running) {
        if (before.live) await must('POST', `/releases/${before.live.number}/roll-back`, { note: 'end of the attack' });
        await must('POST', '/draft/discard');
      } else await home.stop();
      for (const server of [upstream.server, issuer.server]) {
        server.closeAllConnections();
        server.close();
      }
    },
  };
}
