// Ways past a contract that is enforced, and past operations where other paths are let through.
import { gzipSync } from 'node:zlib';
import { plainCall, vagueCalls } from './vague-contract.mjs';
import { raw, request, statusOf } from './wire.mjs';

const json = { 'Content-Type': 'application/json' };
const sized = (headers, body) => ({ ...headers, 'Content-Length': String(Buffer.byteLength(body, 'latin1')) });

/** Bodies that some reader takes for one with another opening, another member, or for none at all. */
const BODIES = [
  [json, '{"opening":500}'],
  [json, '{"opening":5,"opening":500}'],
  [json, '{"opening":5,"\\u006fpening":500}'],
  [json, '{"opening":5,"__proto__":{"role":"admin"}}'],
  [json, '{"opening":5,"role":"admin"}'],
  [json, '{"opening":"5"}'],
  [json, '{"opening":1e400}'],
  [json, '\xef\xbb\xbf{"opening":5}'],
  [json, '{"opening":5}{"opening":500}'],
  [json, '{"opening":5,}'],
  [json, '{"opening":5/**/}'],
  [json, '{"opening":5,"\xff":1}'],
  [json, '['.repeat(100_000)],
  [json, ''],
  [{ 'Content-Type': 'text/plain' }, '{"opening":500}'],
  [{}, '{"opening":500}'],
  [{ 'Content-Type': 'application/json; charset=utf-16' }, '{"opening":5}'],
  [{ 'Content-Type': "application/json; charset*=utf-7''" }, '{"opening":5}'],
  [{ 'Content-Type': 'application/json, text/plain' }, '{"opening":500}'],
  // What Connection names the upstream does not see (RFC 9110 section 7.6.1).
  [{ ...json, Connection: 'close, content-type' }, '{"opening":5}'],
  [{ ...json, Connection: 'close, content-encoding', 'Content-Encoding': 'gzip' }, gzipSync('{"opening":5}').toString('latin1')],
  [{ ...json, 'Content-Encoding': 'gzip' }, gzipSync('{"opening":500}').toString('latin1')],
  [{ ...json, 'Content-Encoding': 'gzip, gzip' }, gzipSync(gzipSync('{"opening":5}')).toString('latin1')],
  [{ ...json, 'Content-Encoding': 'gzip' }, gzipSync(`{"opening":5${' '.repeat(3_000_000)}}`).toString('latin1')],
  [{ ...json, 'Content-Encoding': 'br' }, '{"opening":5}'],
];

/** Spellings of a guarded path that matches no operation to the letter. */
const SPELLINGS = [
  '/X/LOCK',
  '/x/Lock',
  '/x/lock/',
  '/x/%4cock',
  '/x//lock',
  '/x/./lock',
  '/y/../x/lock',
  '/x%2flock',
  '/x/lock;a=1',
  '/x/lock%00',
  '/x/lock%20',
  '/x\\lock',
  '/GUARDED',
  '/guarded/',
  '/guarded%20',
  '/%EF%BD%87uarded',
];

export const CONTRACT = {
  'bodies that two readers take differently, against a contract': async ({ gateway, root }) => {
    for (const [headers, body] of BODIES) {
      const status = statusOf(await raw(gateway, request('POST', `${root}/c/take`, sized(headers, body), body), { silenceMs: 3000 }));
      if (status < 400 || status >= 500) return `${JSON.stringify(headers)} ${body.slice(0, 60)} was answered ${status}`;
    }
    const good = '{"opening":5}';
    const status = statusOf(await raw(gateway, request('POST', `${root}/c/take`, sized(json, good), good), { silenceMs: 3000 }));
    return status >= 400 ? `a good body was answered ${status}, so that little is shown by this` : null;
  },
  'what of a contract nobody can read, as nothing asked': async ({ gateway, root }) => {
    const call = async ({ path, body }) => {
      const headers = body === null ? {} : sized(json, body);
      return statusOf(await raw(gateway, request('POST', path, headers, body ?? ''), { silenceMs: 3000 }));
    };
    // The upstream knows none of these paths.
    const plain = await call(plainCall(`${root}/c`));
    if (plain !== 404) return `an operation that says what it wants was answered ${plain}, so that little is shown by this`;
    for (const vague of vagueCalls(`${root}/c`)) {
      const status = await call(vague);
      if (status !== 400 && status !== 415) return `${vague.said} was answered ${status}`;
    }
    return null;
  },
  'other spellings of guarded paths, where unmatched ones are let through': async ({ gateway, root, upstream }) => {
    upstream.ran.length = 0;
    for (const path of SPELLINGS) {
      await raw(gateway, request('GET', `${root}/c${path}`), { silenceMs: 3000 });
      const hit = upstream.ran.find(({ guarded }) => guarded);
      if (hit) return `${path} ran ${hit.name}`;
    }
    return null;
  },
};
