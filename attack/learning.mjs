// Ways for what may not pass to pass all the same, and for callers to fill what learns from them.
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { damaged, repeatableChance } from './raw-answers.mjs';
import { raw, request, statusOf } from './wire.mjs';
import { LEAK_NAMES, RAW_ANSWERS, SECRET_MAIL } from './world.mjs';

const json = { 'Content-Type': 'application/json' };
const sized = (headers, body) => ({ ...headers, 'Content-Length': String(Buffer.byteLength(body, 'latin1')) });
/** So many damaged answers are tried. */
const DAMAGED = 100;
const asText = (received) => received.replaceAll('\\u0040', '@');

/** Requests that hold an address for some reader. */
const SENT = [
  [json, `{"by":"${SECRET_MAIL}"}`],
  [json, '{"by":"ada\\u0040orchard.example"}'],
  [json, `{"by":"none","by":"${SECRET_MAIL}"}`],
  [json, `{"by":"${SECRET_MAIL}"`],
  [{ 'Content-Type': 'application/x-www-form-urlencoded' }, 'by=ada%40orchard.example'],
  [{ 'Content-Type': 'text/plain' }, SECRET_MAIL],
  [{}, SECRET_MAIL],
  [{ 'Content-Type': 'image/png' }, SECRET_MAIL],
  [{ 'Content-Type': 'aplication/json' }, `{"by":"ada\\u0040orchard.example"}`],
  [{ ...json, 'Content-Encoding': 'gzip' }, gzipSync(`{"by":"${SECRET_MAIL}"}`).toString('latin1')],
  [{ ...json, 'Content-Encoding': 'zstd' }, `{"by":"${SECRET_MAIL}"}`],
  [{ 'Content-Type': 'multipart/form-data; boundary=b' }, `--b\r\nContent-Disposition: form-data; name="by"\r\n\r\n${SECRET_MAIL}\r\n--b--\r\n`],
];

async function settled(look, wanted, mostMs = 15_000) {
  const end = Date.now() + mostMs;
  for (;;) {
    const found = await look();
    if (wanted(found) || Date.now() > end) return found;
    await new Promise((resolve) => setTimeout(resolve, 200));
  }
}

export const LEARNING = {
  'answers that hold what is masked, in every wrapping': async ({ gateway, root }) => {
    for (const how of LEAK_NAMES)
      for (const headers of [{}, { 'Accept-Encoding': 'gzip, br', Range: 'bytes=0-' }]) {
        const received = asText(await raw(gateway, request('GET', `${root}/l/leak/${how}`, headers), { silenceMs: 4000 }));
        if (statusOf(received) === 0) return `${how} was not answered`;
        if (received.includes('@orchard.example') || received.includes(Buffer.from(SECRET_MAIL, 'utf16le').toString('latin1')))
          return `${how} left the gateway`;
      }
    const good = statusOf(await raw(gateway, request('GET', `${root}/l/leak/plain`), { silenceMs: 4000 }));
    return good === 200 ? null : `what can be masked was answered ${good}`;
  },
  'answers that say a thing twice, or go on after their end': async ({ gateway, root }) => {
    for (const how of Object.keys(RAW_ANSWERS)) {
      const received = asText(await raw(gateway, request('GET', `${root}/l/leak/${how}`, { 'Accept-Encoding': 'gzip' }), { silenceMs: 4000 }));
      if (statusOf(received) === 0) return `${how} was not answered`;
      if (received.includes('@orchard.example')) return `${how} left the gateway: ${received.slice(0, 300)}`;
      if ([...received.matchAll(/HTTP\/1\.1 [2-5]\d\d/g)].length !== 1) return `${how} became several answers`;
      const next = asText(await raw(gateway, request('GET', `${root}/l/leak/plain`), { silenceMs: 4000 }));
      if (statusOf(next) !== 200 || !next.includes('rows')) return `after ${how} the next answer was ${next.slice(0, 300)}`;
    }
    return null;
  },
  'answers that are damaged by chance': async ({ gateway, root }) => {
    const chance = repeatableChance(2026);
    const names = Object.keys(RAW_ANSWERS);
    for (let at = 0; at < DAMAGED; at++) {
      const text = damaged(RAW_ANSWERS[names[chance(names.length)]], chance);
      RAW_ANSWERS.damaged = text;
      const received = asText(await raw(gateway, request('GET', `${root}/l/leak/damaged`), { silenceMs: 4000 }));
      if (statusOf(received) === 0) return `${JSON.stringify(text)} was not answered`;
      if (received.includes(SECRET_MAIL)) return `${JSON.stringify(text)} left the gateway`;
      if ([...received.matchAll(/x-request-id:/gi)].length !== 1) return `${JSON.stringify(text)} became several answers`;
      const next = asText(await raw(gateway, request('GET', `${root}/l/leak/plain`), { silenceMs: 4000 }));
      if (statusOf(next) !== 200 || !next.includes('rows')) return `after ${JSON.stringify(text)} the next answer was ${next.slice(0, 300)}`;
    }
    delete RAW_ANSWERS.damaged;
    return null;
  },
  'requests that hold what is refused, in every wrapping': async ({ gateway, root, upstream }) => {
    upstream.ran.length = 0;
    for (const [headers, body] of SENT) {
      const status = statusOf(await raw(gateway, request('POST', `${root}/l/take`, sized(headers, body), body), { silenceMs: 3000 }));
      if (status < 400 || status >= 500) return `${JSON.stringify(headers)} ${body.slice(0, 50)} was answered ${status}`;
    }
    for (const path of ['/take?by=ada%40orchard.example', '/take?by=ada@orchard.example', '/take?ada%40orchard.example=1']) {
      const status = statusOf(await raw(gateway, request('POST', `${root}/l${path}`, { 'Content-Length': '0' }), { silenceMs: 3000 }));
      if (status !== 400) return `${path} was answered ${status}`;
    }
    const body = '{"by":"nobody"}';
    const good = statusOf(await raw(gateway, request('POST', `${root}/l/take`, sized(json, body), body), { silenceMs: 3000 }));
    return good === 200 ? null : `a good body was answered ${good}`;
  },
  'paths without end, hostile names, and secrets in paths, for what is learned': async ({ gateway, root, must, watched }) => {
    const base = `http://${gateway.host}${root}/l/wild`;
    const word = (index) => index.toString(26).replace(/[0-9]/g, (digit) => 'qrstuvwxyz'[digit]);
    const paths = Array.from({ length: 1500 }, (_, index) => `${base}/${word(index * 7919)}/${word(index * 104_729)}`);
    for (let from = 0; from < paths.length; from += 50)
      await Promise.all(paths.slice(from, from + 50).map((path) => fetch(path).then((answer) => answer.arrayBuffer())));
    for (const odd of [
      '/constructor',
      '/__proto__',
      '/reset-password/gravelandreeds',
      '/%7B%7D',
      '/{*}',
      '/a%20b',
      "/'; drop table seen_operations; --",
      '/<b>x<b>',
    ])
      await raw(gateway, request('GET', `${root}/l/wild${odd}`), { silenceMs: 2000 });
    const items = await settled(
      async () => (await must('GET', '/inventory')).items.filter((item) => item.apiId === watched.id && item.kind === 'undocumented'),
      (list) => list.length > 5,
    );
    if (items.length === 0) return 'nothing was learned, so that little is shown by this';
    if (items.length > 500) return `${items.length} operations are kept`;
    const told = JSON.stringify(items);
    if (told.includes('gravelandreeds')) return 'a secret in a path was learned';
    // Whatever was learned is a description that is read again.
    const { text } = await must('GET', `/apis/${watched.id}/learned/document`);
    const reading = await must('POST', '/contracts/read', { text });
    return reading.problems.some(({ severity }) => severity === 'error') ? `what was learned is not read again: ${JSON.stringify(reading.problems[0])}` : null;
  },
  'reports that no node sent, and reports that cannot be read': async ({ control, folder, call, watched }) => {
    const send = (authorization, body) =>
      fetch(`${control}/nodes/v1/sightings`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', ...(authorization ? { authorization } : {}) },
        body,
      });
    const report = (id, learned) => JSON.stringify({ id, node: 'attack', apis: [{ apiId: watched.id, learned }], taken: 1, dropped: 0 });
    const controlToken = readFileSync(join(folder, 'control-token'), 'utf8').trim();
    for (const authorization of [null, 'Bearer x', `Bearer ${controlToken}`]) {
      const { status } = await send(authorization, report('a', '{}'));
      if (status !== 401) return `a report with ${authorization === null ? 'no token' : 'another token'} was answered ${status}`;
    }
    const nodeToken = `Bearer ${readFileSync(join(folder, 'node-token'), 'utf8').trim()}`;
    for (const [index, learned] of [
      '',
      'null',
      '[]',
      '{',
      '{"paths":[{}]}',
      '{"paths":[{"path":"/x","operation":null}],"operations":[],"findings":[],"unplaced":0}',
    ].entries())
      await send(nodeToken, report(`junk-${index}`, learned));
    const { status } = await call('GET', '/inventory');
    return status === 200 ? null : `after reports that cannot be read the inventory answers ${status}`;
  },
};
