// Ways to call from where one may not.
import { raw, request, statusOf } from './wire.mjs';
import { HOP, INSIDE } from './world.mjs';

/** What a caller may write to seem to be somewhere else. */
const NAMES = [
  'X-Forwarded-For',
  'X_Forwarded_For',
  'Forwarded',
  'X-Real-IP',
  'True-Client-IP',
  'X-Client-IP',
  'CF-Connecting-IP',
  'X-Cluster-Client-IP',
  'Via',
];
const OUTSIDE = '203.0.113.9';

/** Sends calls from an address and says which ran a handler that it must not reach. */
async function nothingRan({ upstream, gateway }, from, calls) {
  upstream.ran.length = 0;
  for (const text of calls) {
    await raw(gateway, text, { from });
    const [hit] = upstream.ran;
    if (hit) return `${text.split('\r\n').slice(0, 5).join(' | ')} from ${from} ran the handler ${hit.name}`;
  }
  return null;
}

export const ADDRESSES = {
  'a caller outside that says it is inside': async (world) => {
    const path = `${world.root}/w/guarded`;
    if (statusOf(await raw(world.gateway, request('GET', path), { from: INSIDE })) !== 200)
      return 'the call from inside did not arrive, so that nothing is shown by this';
    const values = [INSIDE, '192.0.2.7', `for=${INSIDE}`, `for="${INSIDE}"`, `${INSIDE}, ${HOP}`, `::ffff:${INSIDE}`, `${INSIDE}\r\nX-Forwarded-For: ${HOP}`];
    return nothingRan(
      world,
      '127.0.0.1',
      NAMES.flatMap((name) => values.map((value) => request('GET', path, { [name]: value }))),
    );
  },
  'a caller behind a trusted hop that writes in front of it': async (world) => {
    if (!world.hasHop) return null;
    const path = `${world.root}/w/guarded`;
    const through = (value) => request('GET', path, { 'X-Forwarded-For': value });
    if (statusOf(await raw(world.gateway, through('192.0.2.7'), { from: HOP })) !== 200)
      return 'the call through the hop did not arrive, so that nothing is shown by this';
    const forged = [
      `192.0.2.7, ${OUTSIDE}`,
      `192.0.2.7,${OUTSIDE}`,
      `192.0.2.7, unknown`,
      `192.0.2.7, `,
      `192.0.2.7,,`,
      `192.0.2.7 ${OUTSIDE}`,
      `"192.0.2.7", ${OUTSIDE}`,
      `192.0.2.7;${OUTSIDE}`,
      '192.0.2.007',
      '0xc0.0.2.7',
      '3221225991',
      '::192.0.2.7',
      '64:ff9b::192.0.2.7',
      '192.0.2.7%0a',
      '192.0.2.7:80:80',
      '[192.0.2.7',
      `${OUTSIDE}, ${HOP}, ${HOP}`,
      `192.0.2.7\r\nX-Forwarded-For: ${OUTSIDE}`,
      `192.0.2.7\r\nx-forwarded-for: ${OUTSIDE}\r\nX-FORWARDED-FOR: unknown`,
      '',
    ];
    return nothingRan(world, HOP, [...forged.map(through), request('GET', path), request('GET', path, { Forwarded: 'for=192.0.2.7' })]);
  },
  'an address that is excepted, in other spellings, and one that nobody can read': async (world) => {
    const path = `${world.root}/w/x/lock`;
    const found = await nothingRan(world, '127.0.0.1', [request('GET', path), request('HEAD', path), request('GET', path, { 'X-Forwarded-For': '192.0.2.7' })]);
    if (found !== null || !world.hasHop) return found;
    const through = (value) => request('GET', path, { 'X-Forwarded-For': value });
    const spellings = [
      OUTSIDE,
      `::ffff:${OUTSIDE}`,
      '::FFFF:cb00:7109',
      `0:0:0:0:0:ffff:${OUTSIDE}`,
      `${OUTSIDE}:443`,
      `[::ffff:${OUTSIDE}]:443`,
      'unknown',
      '_hidden',
      '-',
      '203.0.113.09',
      'localhost',
      '1',
    ];
    return nothingRan(world, HOP, spellings.map(through));
  },
};
