// Ways past conditions and scripts that read the body: other readings of it, other moments, other callers' bodies.
import { gzipSync } from 'node:zlib';
import { raw, request, statusOf } from './wire.mjs';

const json = { 'Content-Type': 'application/json' };
const form = { 'Content-Type': 'application/x-www-form-urlencoded' };
const sized = (headers, body) => ({ ...headers, 'Content-Length': String(Buffer.byteLength(body, 'latin1')) });

/** Bodies that open wider than is allowed, or by force, for one reader or another. */
const BODIES = [
  [json, '{"opening":51}'],
  [json, '{"opening":5,"opening":51}'],
  [json, '{"opening":51,"opening":5}'],
  [json, '{"opening":5,"\\u006fpening":51}'],
  [json, '{"opening":5,"Opening":51}'],
  [json, '{"OPENING":51,"opening":5}'],
  [form, 'opening=5&Opening=51'],
  [json, '{"opening":5,"force":null}'],
  [json, '{"opening":5,"force":false}'],
  [json, '{"opening":5,"\\u0066orce":true}'],
  [json, '{"opening":5,"__proto__":{"force":true}}'],
  [json, '{"opening":"5"}'],
  [json, '{"opening":[5]}'],
  [json, '{"opening":{"valueOf":5}}'],
  [json, '{"opening":null}'],
  [json, '{"opening":true}'],
  [json, '{"opening":-9007199254740993}'],
  [json, '{"opening":1e400}'],
  [json, '{"opening":-1e400}'],
  [json, '{"opening":NaN}'],
  [json, '{"opening":5}{"opening":51}'],
  [json, '{"opening":5,}'],
  [json, '{"opening":5}//'],
  [json, '\xef\xbb\xbf{"opening":5}'],
  [json, '{"opening":5,"\xff":1}'],
  [json, '[{"opening":5}]'],
  [json, '"opening"'],
  [json, 'null'],
  [json, '{}'],
  [json, ' '],
  [json, ''],
  [json, '['.repeat(100_000)],
  [json, `{"opening":5,"pad":"${'x'.repeat(1_100_000)}"}`],
  [form, 'opening=5&opening=51'],
  [form, 'opening=5&%6fpening=51'],
  [form, 'opening=5;opening=51'],
  [form, 'opening=5&force'],
  [form, 'opening[]=5'],
  [{}, '{"opening":5}'],
  [{ 'Content-Type': '' }, '{"opening":5}'],
  [{ 'Content-Type': 'text/plain' }, '{"opening":5}'],
  [{ 'Content-Type': 'application/json, application/json' }, '{"opening":5}'],
  [{ 'Content-Type': 'application/json; charset=utf-16' }, '{"opening":5}'],
  [{ 'Content-Type': 'application/json; charset=utf-8; charset=utf-7' }, '{"opening":5}'],
  [{ 'Content-Type': 'application/xml' }, '<opening>5</opening>'],
  [{ 'Content-Type': 'multipart/form-data; boundary=b' }, '--b\r\nContent-Disposition: form-data; name="opening"\r\n\r\n5\r\n--b--\r\n'],
  [{ ...json, 'Content-Encoding': 'gzip' }, gzipSync('{"opening":51}').toString('latin1')],
  [{ ...json, 'Content-Encoding': 'gzip, gzip' }, gzipSync(gzipSync('{"opening":5}')).toString('latin1')],
  [{ ...json, 'Content-Encoding': 'gzip' }, gzipSync(`{"opening":5${' '.repeat(9_000_000)}}`).toString('latin1')],
  [{ ...json, 'Content-Encoding': 'gzip' }, '{"opening":5}'],
  [{ ...json, 'Content-Encoding': 'gzip' }, Buffer.concat([gzipSync('{"opening":5'), gzipSync('1}')]).toString('latin1')],
  [{ ...json, 'Content-Encoding': 'gzip' }, Buffer.concat([gzipSync('{"opening":5}'), gzipSync(' ')]).toString('latin1')],
  [{ ...form, 'Content-Encoding': 'gzip' }, Buffer.concat([gzipSync('opening=5'), Buffer.alloc(1), gzipSync('1')]).toString('latin1')],
  [{ ...json, 'Content-Encoding': 'zstd' }, '{"opening":5}'],
];

const GOOD = '{"opening":5}';
/** Why an answer was what it is, by its trace; null where there is none. */
async function codeOf(call, answer) {
  const id = /urn:virga:request:([\w-]+)/.exec(answer)?.[1];
  for (let turn = 0; id !== undefined && turn < 50; turn++) {
    const { status, body } = await call('GET', `/traces/${id}`);
    if (status === 200) return body.code;
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  return null;
}

/** What the control API says to what cannot be used. */
const REFUSED = new Set([400, 422]);
const PATHS = ['/b/take', '/b/scripted'];

export const BODY_RULES = {
  'bodies that some reader takes for another, past a condition and a script': async ({ gateway, root, upstream }) => {
    upstream.ran.length = 0;
    for (const path of PATHS) {
      for (const [headers, body] of BODIES) {
        const status = statusOf(await raw(gateway, request('POST', root + path, sized(headers, body), body), { silenceMs: 4000 }));
        if (status < 400 || status >= 500) return `${path}: ${JSON.stringify(headers)} ${body.slice(0, 60)} was answered ${status}`;
      }
      const none = statusOf(await raw(gateway, request('POST', root + path), { silenceMs: 3000 }));
      if (none < 400 || none >= 500) return `${path} without a body was answered ${none}`;
      const good = statusOf(await raw(gateway, request('POST', root + path, sized(json, GOOD), GOOD), { silenceMs: 3000 }));
      if (good !== 200) return `a good body to ${path} was answered ${good}`;
    }
    return upstream.ran.length === PATHS.length ? null : `the upstream was called ${upstream.ran.length} times`;
  },
  'bodies in pieces, half of them, and more behind their end': async ({ gateway, root, upstream }) => {
    upstream.ran.length = 0;
    const chunked = { ...json, 'Transfer-Encoding': 'chunked' };
    for (const path of PATHS) {
      const head = request('POST', root + path, chunked);
      const piece = (text) => `${Buffer.byteLength(text).toString(16)}\r\n${text}\r\n`;
      const sent = [
        [head + piece('{"opening":5') + piece('1}') + '0\r\n\r\n', 'in two pieces'],
        [head + piece(GOOD) + piece('{"opening":51}') + '0\r\n\r\n', 'twice'],
        [head + piece(GOOD), 'without an end'],
        [head + piece(GOOD) + 'zz\r\n', 'with an end that is none'],
        [`${request('POST', root + path, { ...json, 'Content-Length': '14' }, GOOD)}`, 'one byte short'],
        [head + piece('{"opening":51}') + '0\r\nContent-Type: text/plain\r\n\r\n', 'with a field behind it'],
      ];
      for (const [text, how] of sent) {
        const status = statusOf(await raw(gateway, text, { silenceMs: 1500 }));
        if (status === 200) return `${path}: a body ${how} was let in`;
      }
      const two = request(
        'POST',
        root + path,
        { ...json, 'Content-Length': '13' },
        GOOD + request('POST', root + path, { ...json, 'Content-Length': '14' }, '{"opening":51}'),
      ).replace('Connection: close\r\n', '');
      const answers = [...(await raw(gateway, two, { silenceMs: 2000 })).matchAll(/HTTP\/1\.1 (\d{3})/g)].map((match) => Number(match[1]));
      if (answers[0] !== 200 || answers[1] === 200) return `${path}: two on one connection were answered ${answers.join(' ')}`;
    }
    return upstream.ran.length === PATHS.length ? null : `the upstream was called ${upstream.ran.length} times`;
  },
  'many bodies at one time, good and bad': async ({ call, gateway, root, upstream }) => {
    upstream.ran.length = 0;
    const openings = Array.from({ length: 300 }, (_, index) => index % 100);
    const answered = await Promise.all(
      openings.map(async (opening, index) => {
        const body = JSON.stringify({ opening });
        return raw(gateway, request('POST', root + PATHS[index % 2], sized(json, body), body), { silenceMs: 7000 });
      }),
    );
    for (const [index, answer] of answered.entries()) {
      const status = statusOf(answer);
      // A script that a busy machine did not come to, or did not run for long, refuses.
      const meant =
        openings[index] > 50 ? status >= 400 : status === 200 || status === 503 || (status === 500 && (await codeOf(call, answer)) === 'authorizer.time');
      if (!meant) return `an opening of ${openings[index]} was answered ${status}`;
    }
    return upstream.ran.length === answered.filter((answer) => statusOf(answer) === 200).length ? null : 'the upstream was called for somebody who was refused';
  },
  'callers that leave bodies half sent': async ({ gateway, root }) => {
    const half = request('POST', `${root}/b/take`, { ...json, 'Content-Length': '900000' }, `{"opening":5,"pad":"${'x'.repeat(500_000)}`);
    await Promise.all(Array.from({ length: 120 }, () => raw(gateway, half, { silenceMs: 300, mostMs: 1500 })));
    const good = statusOf(await raw(gateway, request('POST', `${root}/b/take`, sized(json, GOOD), GOOD), { silenceMs: 4000 }));
    return good === 200 ? null : `behind them a good body was answered ${good}`;
  },
  'scripts that would be shown bodies and keep their answers, or are shown them by another word': async ({ call, root, must }) => {
    const name = `greedy ${root.slice(1)}`;
    const path = `/authorizers/${encodeURIComponent(name)}`;
    const source = 'function decide({ request }) { return { allow: request.path === "/" } }';
    const script = { source, timeMs: 20, megabytes: 8, tables: [], body: true };
    const input = { name, description: '', service: null, passes: [], cases: [], cache: null, script };
    const kept = await call('PUT', path, { ...input, cache: { seconds: 60, key: ['caller', 'operation', 'path', 'query', 'address'] } });
    if (!REFUSED.has(kept.status)) return `keeping answers that hang on a body was answered ${kept.status}`;
    for (const body of [null, 'true', 1, [], {}]) {
      const { status } = await call('PUT', path, { ...input, script: { ...script, body } });
      if (!REFUSED.has(status)) return `body ${JSON.stringify(body)} was answered ${status}`;
    }
    const unseen = await call('PUT', path, {
      ...input,
      script: { ...script, body: false, source: 'function decide({ request }) { return { allow: !request.body } }' },
    });
    if (!REFUSED.has(unseen.status)) return `reading a body that is not shown was answered ${unseen.status}`;
    const saved = await call('PUT', path, input);
    if (saved.status >= 300) return `a good script was answered ${saved.status}`;
    await must('DELETE', path);
    return null;
  },
};
