// Section by section: ways by which the wrong caller could get in. Each says what got through, or null.
import { calculateJwkThumbprint, exportJWK, generateKeyPair, SignJWT } from 'jose';
import { createHash, createHmac } from 'node:crypto';
import { raw, request, statusOf } from './wire.mjs';

/** Sends calls and says which guarded handler ran. */
async function nothingGuarded({ upstream, gateway }, calls) {
  upstream.ran.length = 0;
  for (const text of calls) {
    await raw(gateway, text);
    const hit = upstream.ran.find((item) => item.guarded);
    if (hit) return `${text.split('\r\n')[0]} ran the handler ${hit.name}`;
  }
  return null;
}

const SPELLINGS = [
  'lock',
  'LOCK',
  'Lock',
  'lock.',
  'lock..',
  'lock%20',
  'lock%2e',
  '%6cock',
  'loc%4B',
  '%EF%BD%8Cock',
  'lock/',
  'lock%3Bx',
  'l%E2%80%8Bock',
  'lock;x',
];
const DOTS = [
  '..',
  '..%3Bx',
  '..;x',
  '%2e%2e%3B',
  '%2e%2e',
  '.%2e',
  '%E2%80%A5',
  '%EF%BC%8E%EF%BC%8E',
  '..%20',
  '%EF%BD%A1%EF%BD%A1',
  '%C0%AE%C0%AE',
  '%252e%252e',
];

const b64 = (value) => Buffer.from(typeof value === 'string' ? value : JSON.stringify(value)).toString('base64url');

/** Signatures that are good but for their length, or for a modulus that was added (RFC 8017 section 8.2.2: both are invalid). */
async function otherLengths(issuer) {
  const asSigned = (token, bytes) => `${token.slice(0, token.lastIndexOf('.'))}.${bytes.toString('base64url')}`;
  const bytesOf = (token) => Buffer.from(token.slice(token.lastIndexOf('.') + 1), 'base64url');
  const number = (bytes) => BigInt(`0x${bytes.toString('hex')}`);
  const modulus = number(Buffer.from(issuer.jwk.n, 'base64url'));
  const made = [];
  // One of 256 begins with a zero, and some are small enough for a modulus more.
  for (let tries = 0; tries < 5000 && made.length < 4; tries++) {
    const token = await issuer.sign();
    const bytes = bytesOf(token);
    if (made.length === 0) made.push(asSigned(token, Buffer.concat([Buffer.alloc(1), bytes])), asSigned(token, Buffer.concat([bytes, Buffer.alloc(1)])));
    const more = (number(bytes) + modulus).toString(16);
    if (made.length === 2 && more.length <= 512) made.push(asSigned(token, Buffer.from(more.padStart(512, '0'), 'hex')));
    if (made.length === 3 && bytes[0] === 0) made.push(asSigned(token, bytes.subarray(1)));
  }
  return made;
}

export const CALLERS = {
  'one API’s rule with another API’s upstream': (world) => {
    const p = `${world.root}/p`;
    const paths = ['secure/Accounts', 'secure/accounts/', 'SECURE/accounts', 'secure/ACCOUNTS', 'secure/accounts.', '%73ecure/Accounts', 'secure/accounts%20'];
    return nothingGuarded(
      world,
      ['GET', 'POST', 'HEAD', 'OPTIONS'].flatMap((method) => paths.map((path) => request(method, `${p}/${path}`))),
    );
  },
  'lenient readings of fixed paths and of text around parameters': (world) => {
    const m = `${world.root}/m`;
    const files = ['a.json', 'a.JSON', 'a.Json', 'a.json.', 'a.json%20', 'a%2ejson', 'a.jso%6E', 'a.%EF%BD%8Ason', 'a.json%3Bx'];
    const paths = [
      ...SPELLINGS.flatMap((end) => [`x/${end}`, `X/${end}`]),
      ...files.map((name) => `files/${name}`),
      ...DOTS.flatMap((dots) => [`x/${dots}/x/lock`, `files/${dots}/guarded`]),
    ];
    return nothingGuarded(
      world,
      ['GET', 'HEAD'].flatMap((method) => paths.map((path) => request(method, `${m}/${path}`))),
    );
  },
  'request targets that two readers take for two': (world) => {
    const m = `${world.root}/m`;
    return nothingGuarded(world, [
      request('GET', `http://attack.example?x=${m}/guarded`),
      request('GET', `http://attack.example${m}/x/LOCK`),
      request('GET', `${m}//guarded`),
      request('GET', `${m}/open/../guarded`),
      request('GET', `${m}\\guarded`),
      request('GET', `${m}/open%2f..%2fguarded`),
      request('OPTIONS', `${m}/guarded`, { Origin: 'https://evil.example', 'Access-Control-Request-Method': 'GET' }),
      request('POST', `${m}/open`, { 'X-HTTP-Method-Override': 'GET', 'X-Original-URL': '/guarded' }),
    ]);
  },
  'a requirement that cannot be read': (world) => nothingGuarded(world, [request('GET', `${world.root}/u/unread`), request('HEAD', `${world.root}/u/unread`)]),
  'requests inside requests': (world) => {
    const inside = `GET ${world.root}/m/guarded HTTP/1.1\r\nHost: x\r\n\r\n`;
    const head = `POST ${world.root}/m/take HTTP/1.1\r\nHost: x\r\n`;
    return nothingGuarded(world, [
      `${head}Content-Length: 0\r\nTransfer-Encoding: chunked\r\n\r\n0\r\n\r\n${inside}`,
      `${head}Content-Length: 4\r\nContent-Length: ${inside.length}\r\n\r\n${inside}`,
      `${head}Transfer-Encoding: gzip, chunked\r\n\r\n0\r\n\r\n${inside}`,
      `${head}Transfer-Encoding: chunked, identity\r\n\r\n0\r\n\r\n${inside}`,
      `${head}Transfer-Encoding : chunked\r\nContent-Length: 5\r\n\r\n0\r\n\r\n${inside}`,
      `${head}Transfer-Encoding: \x0bchunked\r\n\r\n0\r\n\r\n${inside}`,
      `${head}X: y\nContent-Length: ${inside.length}\r\n\r\n${inside}`,
    ]);
  },
  'forged and foreign tokens': async (world) => {
    const { issuer } = world;
    const other = await generateKeyPair('RS256', { extractable: true });
    const ec = await generateKeyPair('ES256', { extractable: true });
    const good = await issuer.sign();
    const [head, body, signature] = good.split('.');
    const mac = createHmac('sha256', String(issuer.jwk.n))
      .update(`${b64({ alg: 'HS256', typ: 'at+jwt' })}.${body}`)
      .digest('base64url');
    const now = Math.floor(Date.now() / 1000);
    const tokens = [
      `${b64({ alg: 'none' })}.${body}.`,
      `${b64({ alg: 'HS256', typ: 'at+jwt' })}.${body}.${mac}`,
      `${head}.${b64({ ...issuer.claims(), scope: 'read admin' })}.${signature}`,
      `${head}.${body}.`,
      await issuer.sign({}, {}, other.privateKey),
      await issuer.sign({}, { jwk: await exportJWK(other.publicKey) }, other.privateKey),
      await issuer.sign({ exp: now - 400 }),
      await issuer.sign({ nbf: now + 400 }),
      await issuer.sign({ aud: 'https://other.example' }),
      await issuer.sign({ aud: ['https://attack.example', 7] }),
      await issuer.sign({ aud: undefined }),
      await issuer.sign({ scope: 'other' }),
      await issuer.sign({ sub: 2 ** 60 }),
      await issuer.sign({ client_id: [2 ** 53] }),
      await issuer.sign({ client_id: ['tablet', 'other'] }),
      await issuer.sign({ client_id: { id: 'tablet' } }),
      await issuer.sign({ sub: ['rider', 'other'] }),
      await issuer.sign({ sub: { name: 'rider' } }),
      await issuer.sign({ scope: `read ${'x '.repeat(2100)}` }),
      await issuer.sign({ iss: 'https://other.example' }),
      await issuer.sign({}, { crit: ['exp'] }).catch(() => 'x'),
      ...(await otherLengths(issuer)),
      ...(await Promise.all([{}, null, { jkt: '' }, { jkt: 7 }, { 'x5t#S256': '' }, { other: 'x' }, []].map((cnf) => issuer.sign({ cnf })))),
      await issuer.sign({ cnf: { jkt: await calculateJwkThumbprint(await exportJWK(ec.publicKey)) } }),
    ];
    return nothingGuarded(
      world,
      tokens.map((token) => request('GET', `${world.root}/m/guarded`, { Authorization: `Bearer ${token}` })),
    );
  },
  'a proof that is used again after a publish': async (world) => {
    const { privateKey, publicKey } = await generateKeyPair('ES256', { extractable: true });
    const jwk = await exportJWK(publicKey);
    const token = await world.issuer.sign({ cnf: { jkt: await calculateJwkThumbprint(jwk) } });
    const htu = `${world.gateway.origin}${world.root}/m/guarded`;
    const ath = createHash('sha256').update(token).digest('base64url');
    const prove = (claims = {}, header = {}) =>
      new SignJWT({ jti: String(Math.random()), htm: 'GET', htu, iat: Math.floor(Date.now() / 1000), ath, ...claims })
        .setProtectedHeader({ alg: 'ES256', typ: 'dpop+jwt', jwk, ...header })
        .sign(privateKey);
    const send = async (proof) =>
      statusOf(await raw(world.gateway, request('GET', `${world.root}/m/guarded`, { Authorization: `DPoP ${token}`, DPoP: proof })));
    const proof = await prove();
    if ((await send(proof)) !== 200) return 'a good proof was refused, so that nothing is shown by this';
    if ((await send(proof)) === 200) return 'the same proof twice';
    await world.must('PATCH', `/apis/${world.mixed.id}`, { version: String(Math.random()) });
    await world.publish();
    if ((await send(proof)) === 200) return 'the same proof after a publish';
    for (const [name, made] of [
      ['a proof whose life is over', await prove({ exp: Math.floor(Date.now() / 1000) - 1 })],
      ['a proof whose key is for encryption', await prove({}, { jwk: { ...jwk, use: 'enc' } })],
      ['a proof whose key is for another algorithm', await prove({}, { jwk: { ...jwk, alg: 'ES384' } })],
    ])
      if ((await send(made)) === 200) return name;
    return null;
  },
  'an older revocation after a later one': async (world) => {
    const subject = `revoked ${Math.random()}`;
    const token = await world.issuer.sign({ sub: subject });
    const revoke = (issuedBefore) =>
      world.must('POST', '/revocations', { kind: 'subject', providerId: world.provider.id, value: subject, reason: 'attack', issuedBefore });
    const made = [await revoke(null), await revoke(Date.now() - 3_600_000)];
    await new Promise((resolve) => setTimeout(resolve, 300));
    const found = await nothingGuarded(world, [request('GET', `${world.root}/m/guarded`, { Authorization: `Bearer ${token}` })]);
    for (const { id } of made) await world.must('DELETE', `/revocations/${id}`);
    return found;
  },
  'names that only the gateway may write': async (world) => {
    const names = [
      'X-Forwarded-For',
      'X_Forwarded_For',
      'X-Forwarded-Client-Cert',
      'X-Forwarded-Prefix',
      'X-Forwarded-User',
      'X-Forwarded-Ssl',
      'X_Original_URL',
      'X-Original-URL',
      'X-Rewrite-URL',
      'Client_Cert',
      'Client-Cert',
      'Client-Cert-Chain',
      'X-Real-IP',
      'X_Real_IP',
      'True-Client-IP',
      'X-HTTP-Method-Override',
      'X_HTTP_Method_Override',
      'X.Forwarded.For',
      'Forwarded',
      'Remote-User',
      'X-Client-Verify',
      'SSL-Client-Cert',
    ];
    // Whichever of them the API tells its upstream, the last being what a new one does.
    for (const callerFields of ['forwarded', 'both', 'x-forwarded']) {
      const { upstream } = await world.must('GET', `/apis/${world.mixed.id}`);
      await world.must('PATCH', `/apis/${world.mixed.id}`, { upstream: { ...upstream, callerFields } });
      await world.publish();
      world.upstream.ran.length = 0;
      await raw(world.gateway, request('GET', `${world.root}/m/open`, Object.fromEntries(names.map((name) => [name, 'f0rged']))));
      const seen = world.upstream.ran[0]?.headers;
      if (!seen) return 'the request did not arrive, so that nothing is shown by this';
      const forged = Object.entries(seen).find(([, value]) => String(value).includes('f0rged'));
      if (forged) return `${forged[0]} arrived as the caller wrote it, where the API sends ${callerFields}`;
      if ('forwarded' in seen !== (callerFields !== 'x-forwarded') || 'x-forwarded-for' in seen !== (callerFields !== 'forwarded'))
        return `other fields than chosen arrived: ${Object.keys(seen).join(', ')}`;
    }
    for (const host of ['a b', 'a<script>', 'a/b', '"', '']) {
      world.upstream.ran.length = 0;
      await raw(world.gateway, `GET ${world.root}/m/open HTTP/1.1\r\nHost: ${host}\r\nConnection: close\r\n\r\n`);
      if (world.upstream.ran.length > 0) return `the Host “${host}” arrived`;
    }
    return null;
  },
};
