// Ways in by keys, secrets and certificates, by what only observes, and by bodies that are more than they say.
import { generateKeyPair } from 'jose';
import { raw, request, statusOf } from './wire.mjs';

const base64 = (text) => Buffer.from(text).toString('base64');

/** Sends requests one by one and says which of them ran a guarded handler. */
async function nobodyIn({ upstream, gateway }, calls) {
  for (const [name, text] of calls) {
    upstream.ran.length = 0;
    const status = statusOf(await raw(gateway, text));
    if (upstream.ran.some((item) => item.guarded)) return name;
    if (status < 400 || status > 499) return `${name} was answered ${status}`;
  }
  return null;
}

export const CREDENTIALS = {
  'keys and secrets that are not whole, not in their place, or not good any more': async (world) => {
    const path = `${world.root}/k/guarded`;
    const credentials = `/clients/${world.client.id}/credentials`;
    const { secret: key, credential } = await world.must('POST', credentials, { kind: 'key', name: 'attack' });
    const { secret } = await world.must('POST', credentials, { kind: 'basic', name: `attack${world.root.slice(1)}` });
    const name = `attack${world.root.slice(1)}`;
    const get = (headers, at = path) => request('GET', at, headers);
    const basic = (text) => get({ Authorization: `Basic ${text}` });
    for (const text of [get({ 'X-Attack-Key': key }), basic(base64(`${name}:${secret}`))])
      if (statusOf(await raw(world.gateway, text)) !== 200) return 'a good credential was refused, so that nothing is shown by this';
    const found = await nobodyIn(world, [
      ['no credential', get({})],
      ['an empty key', get({ 'X-Attack-Key': '' })],
      ['a key in capitals', get({ 'X-Attack-Key': key.toUpperCase() })],
      ['a key cut off', get({ 'X-Attack-Key': key.slice(0, -1) })],
      ['a key with more behind it', get({ 'X-Attack-Key': `${key}0` })],
      ['a key twice in its field', get({ 'X-Attack-Key': `${key}, ${key}` })],
      ['a key in two fields', `GET ${path} HTTP/1.1\r\nHost: x\r\nConnection: close\r\nX-Attack-Key: ${key}\r\nX-Attack-Key: ${key}\r\n\r\n`],
      ['a key after a null byte', get({ 'X-Attack-Key': `a\x00${key}` })],
      ['a key in the query', get({}, `${path}?X-Attack-Key=${key}`)],
      ['a key in a cookie', get({ Cookie: `X-Attack-Key=${key}` })],
      ['a key as Bearer', get({ Authorization: `Bearer ${key}` })],
      ['a key in a field that some read for another', get({ X_Attack_Key: key })],
      ['a good key, and one in a field that some read for it', get({ 'X-Attack-Key': key, X_Attack_Key: 'forged' })],
      ['a good key, and another method in the query', get({ 'X-Attack-Key': key }, `${path}?_method=DELETE`)],
      ['the same in another spelling', get({ 'X-Attack-Key': key }, `${path}?a=1;%5FMETHOD[]=put`)],
      ['a name without a secret', basic(base64(`${name}:`))],
      ['a name without a colon', basic(base64(name))],
      ['a secret cut off', basic(base64(`${name}:${secret.slice(0, -1)}`))],
      ['a secret with more behind it', basic(base64(`${name}:${secret}\n`))],
      ['a key as a secret', basic(base64(`${name}:${key}`))],
      ['a secret as a key', get({ 'X-Attack-Key': secret })],
      ['two ways of Basic at once', get({ Authorization: `Basic ${base64(`${name}:${secret}`)}, Basic ${base64(`${name}:x`)}` })],
      ['Base64 with a hole', basic(`${base64(`${name}:${secret}`).slice(0, 8)} ${base64(`${name}:${secret}`).slice(8)}`)],
      ['a name that JavaScript knows', basic(base64('__proto__:x'))],
      ['a key that JavaScript knows', get({ 'X-Attack-Key': 'constructor' })],
      ['a key where a token is asked for too', request('POST', path, { 'X-Attack-Key': key })],
      ['a token where a key is asked for too', request('POST', path, { Authorization: `Bearer ${await world.issuer.sign()}` })],
      [
        'a token without the scope beside a good key',
        request('POST', path, { 'X-Attack-Key': key, Authorization: `Bearer ${await world.issuer.sign({ scope: 'other' })}` }),
      ],
    ]);
    if (found !== null) return found;
    await world.must('POST', `${credentials}/${credential.id}/revoke`, {});
    await world.must('PATCH', `/clients/${world.client.id}`, { enabled: false });
    const late = await nobodyIn(world, [
      ['a key that was revoked', get({ 'X-Attack-Key': key })],
      ['a secret of a client that is off', basic(base64(`${name}:${secret}`))],
    ]);
    await world.must('PATCH', `/clients/${world.client.id}`, { enabled: true });
    return late ?? nobodyIn(world, [['a revoked key of a client that is on again', get({ 'X-Attack-Key': key })]]);
  },
  'what only observes, as a way in': async (world) => {
    const { issuer } = world;
    const other = await generateKeyPair('RS256', { extractable: true });
    const now = Math.floor(Date.now() / 1000);
    const tokens = [
      ['forged', await issuer.sign({}, {}, other.privateKey)],
      ['unsigned', `${Buffer.from('{"alg":"none"}').toString('base64url')}.${Buffer.from(JSON.stringify(issuer.claims())).toString('base64url')}.`],
      ['long expired', await issuer.sign({ exp: now - 9000 })],
      ['for somebody else', await issuer.sign({ aud: 'https://other.example' })],
      ['bound to a key that was not shown', await issuer.sign({ cnf: { jkt: 'x'.repeat(43) } })],
      ['of another issuer', await issuer.sign({ iss: 'https://other.example' })],
      ['opaque', 'x'.repeat(40)],
    ];
    return nobodyIn(
      world,
      [['nothing', ''], ...tokens].map(([name, token]) => [
        `a token that is ${name}`,
        request('GET', `${world.root}/k/x/lock`, token === '' ? {} : { Authorization: `Bearer ${token}` }),
      ]),
    );
  },
  'a body that is more than it says': async (world) => {
    const head = `POST ${world.root}/k/sized HTTP/1.1\r\nHost: x\r\nConnection: close\r\n`;
    const chunks = (count, size) => `${`${size.toString(16)}\r\n${'a'.repeat(size)}\r\n`.repeat(count)}0\r\n\r\n`;
    const bodies = [
      `${head}Content-Length: 5000\r\n\r\n${'a'.repeat(5000)}`,
      `${head}Transfer-Encoding: chunked\r\n\r\n${chunks(5000, 1)}`,
      `${head}Transfer-Encoding: chunked\r\n\r\n${chunks(1, 5000)}`,
      `${head}Transfer-Encoding: chunked\r\nTrailer: X\r\n\r\n${chunks(11, 100)}`,
      `${head}Expect: 100-continue\r\nContent-Length: 5000\r\n\r\n${'a'.repeat(5000)}`,
      `${head}Content-Encoding: gzip\r\nContent-Length: 1001\r\n\r\n${'a'.repeat(1001)}`,
    ];
    for (const [index, text] of bodies.entries()) {
      world.upstream.ran.length = 0;
      const status = statusOf(await raw(world.gateway, text));
      if (status !== 413) return `body ${index} was answered ${status}`;
      await new Promise((resolve) => setTimeout(resolve, 50));
      const most = Math.max(0, ...world.upstream.ran.map((item) => item.bytes ?? 0));
      if (most > 1000) return `${most} bytes of body ${index} arrived`;
    }
    const fits = statusOf(await raw(world.gateway, `${head}Content-Length: 1000\r\n\r\n${'a'.repeat(1000)}`));
    return fits === 200 ? null : `a body that fits was answered ${fits}, so that nothing is shown by this`;
  },
};
