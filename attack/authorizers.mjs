// Ways to be let through by an authorizer that does not allow it, or to speak in its name.
import { raw, request, statusOf } from './wire.mjs';
import { INSIDE } from './world.mjs';

const ALLOWED = ['8', '11'];
/** What a table could be taken to hold: the members that every object has, spellings of a key, and lists of them. */
const SHUT = ['7', '%37', '__proto__', 'constructor', 'toString', 'hasOwnProperty', '7,8', '%20' + '8', '8%00', '8%2f..%2f7', 'x'.repeat(4000)];
const QUERIES = [
  '',
  '?crew=north',
  '?crew=south&crew=north',
  '?crew=north&crew=south',
  '?crew[]=south',
  '?Crew=south',
  '?crew=south%00',
  '?__proto__[crew]=south',
  '?crew=%ff',
  '?crew=south;crew=north',
];
const FORGED = [
  'X-Attack-Crew: forged',
  'x_attack_crew: forged',
  'X-Attack-Crew : forged',
  'X-ATTACK-CREW: forged\r\nX-Attack-Crew: forged',
  'Connection: X-Attack-Crew\r\nX-Attack-Crew: forged',
];

/** Whether a call arrives that is let through. On a busy machine a script that is cold may not end within its 20 ms. */
async function arrives(send) {
  for (let turn = 0; turn < 5; turn++) if (statusOf(await send()) === 200) return true;
  return false;
}

export const AUTHORIZERS = {
  'a caller that writes what a script reads, in spellings that it could take for another': async ({ upstream, gateway, root }) => {
    const path = `${root}/s/held`;
    for (const gate of ALLOWED)
      if (!(await arrives(() => raw(gateway, request('GET', `${path}/${gate}?crew=south`), { from: INSIDE }))))
        return `the call that the script lets through did not arrive (${gate}), so that nothing is shown by this`;
    upstream.ran.length = 0;
    for (const text of [...SHUT.map((gate) => request('GET', `${path}/${gate}?crew=south`)), ...QUERIES.map((query) => request('GET', `${path}/8${query}`))]) {
      await raw(gateway, text, { from: INSIDE });
      const hit = upstream.ran.find(({ name }) => name === 'held');
      if (hit) return `${text.split('\r\n')[0]} ran the handler with ${hit.url}`;
    }
    return null;
  },
  'a header field that only an authorizer may write': async ({ upstream, gateway, root }) => {
    upstream.ran.length = 0;
    for (const lines of FORGED)
      await raw(gateway, `GET ${root}/s/held/8?crew=south HTTP/1.1\r\nHost: x\r\n${lines}\r\nConnection: close\r\n\r\n`, { from: INSIDE });
    for (const { headers } of upstream.ran) {
      const names = Object.keys(headers).filter((name) => name.replaceAll('_', '-') === 'x-attack-crew');
      if (names.some((name) => headers[name] !== 'south')) return `the upstream was told ${JSON.stringify(names.map((name) => [name, headers[name]]))}`;
    }
    return null;
  },
  'an answer that was kept for one caller, used by another': async ({ upstream, gateway, root, issuer }) => {
    const [mine, theirs] = await Promise.all([issuer.sign({ sub: 'allowed' }), issuer.sign({ sub: 'stranger' })]);
    const call = (token, lines = {}, path = `${root}/s/kept`) =>
      raw(gateway, request('GET', path, { authorization: `Bearer ${token}`, ...lines }), { from: INSIDE });
    if (!(await arrives(() => call(mine)))) return 'the caller that is allowed was refused, so that nothing is shown by this';
    upstream.ran.length = 0;
    for (const attempt of [
      () => call(theirs),
      () => call(theirs, { 'x-sub': 'allowed' }),
      () => call(theirs, {}, `${root}/s/kept?sub=allowed`),
      () => raw(gateway, request('GET', `${root}/s/kept`), { from: INSIDE }),
      // All at once, while the answer of the other is being made again.
      () => Promise.all(Array.from({ length: 40 }, (_, index) => call(index % 2 === 0 ? theirs : `${mine}x`))),
    ])
      await attempt();
    return upstream.ran.some(({ name }) => name === 'kept') ? 'somebody who is not allowed got in by the answer of another' : null;
  },
  'scripts that loop, fill memory and run away, many at once: nobody is let in, and others are served': async ({ upstream, gateway, root }) => {
    upstream.ran.length = 0;
    const hostile = Promise.all(
      Array.from({ length: 120 }, (_, index) =>
        raw(gateway, request('GET', `${root}/s/hostile/${['loop', 'memory', 'pattern'][index % 3]}`), { from: INSIDE, silenceMs: 7000 }),
      ),
    );
    const meanwhile = [];
    for (let index = 0; index < 10; index++) meanwhile.push(statusOf(await raw(gateway, request('GET', `${root}/m/open`))));
    const statuses = (await hostile).map(statusOf);
    if (upstream.ran.some(({ url }) => url.startsWith('/hostile'))) return 'a script that came to no answer let somebody in';
    if (statuses.some((status) => status !== 500 && status !== 503))
      return `a script without an answer was answered ${statuses.find((status) => status !== 500 && status !== 503)}`;
    return meanwhile.every((status) => status === 200) ? null : `others were answered ${meanwhile.join(' ')}`;
  },
};
