// Routes that are measured beside the bare forwarder, each start of a node with a forwarder of its own.
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { CUSTOMER, KEY_HEADERS, keyed, keyedRoute } from './limits.mjs';
import { inTurns, load } from './load.mjs';
import { end, start } from './processes.mjs';
import { makeControl, NODE_TOKEN, release, ruled } from './world.mjs';

export const PATH = '/bench/group7/things7/G-12';

/** One start of a node, beside the bare forwarder and the usual proxy library: the guarded route, and the same with an address rule, a condition and an authorizer whose answers are kept. */
export async function guardedStart({ upstreamUrl, issuer, headers, rounds, ms, warmMs }) {
  const control = await makeControl();
  const bare = await start('bare-forwarder.mjs', upstreamUrl);
  const library = await start('library-proxy.mjs', upstreamUrl);
  const gateway = await start('gateway.mjs', control.url, NODE_TOKEN, mkdtempSync(join(tmpdir(), 'virga-bench-')));
  while (!control.connected()) await new Promise((resolve) => setTimeout(resolve, 20));
  const guarded = release(upstreamUrl, issuer.issuer);
  const withRules = ruled(release(upstreamUrl, issuer.issuer));
  const [more] = withRules.apis;
  await control.publish(1, { ...withRules, apis: [...guarded.apis, { ...more, id: 'ruled', name: 'Ruled', basePath: '/ruled' }] });
  const ways = {
    bare: { port: bare.port, path: PATH, headers },
    library: { port: library.port, path: PATH, headers },
    guarded: { port: gateway.port, path: PATH, headers },
    ruled: { port: gateway.port, path: PATH.replace('/bench', '/ruled'), headers },
  };
  // A process that is still being compiled is not what serves.
  for (const { port, ...asked } of Object.values(ways)) await load(port, { ...asked, ms: warmMs });
  const measured = await inTurns(ways, { rounds, ms });
  const figures = { guardedRouteRatio: measured.guarded.ratio, ruledRouteRatio: measured.ruled.ratio, proxyLibraryRatio: measured.library.ratio };
  const close = () => {
    for (const one of [bare, library, gateway]) end(one);
    control.close();
  };
  return { figures, failed: measured.guarded.failed + measured.ruled.failed, measured, gateway, control, close };
}

/** One start of a node that counts by itself, or in a store, beside the bare forwarder: a route with a key, a plan and two limits. */
export async function keyedStart({ name, storeUrl, upstreamUrl, issuer, rounds, ms, warmMs }) {
  const control = await makeControl();
  const bare = await start('bare-forwarder.mjs', upstreamUrl);
  const gateway = await start('gateway.mjs', control.url, NODE_TOKEN, mkdtempSync(join(tmpdir(), 'virga-bench-')), storeUrl);
  while (!control.connected()) await new Promise((resolve) => setTimeout(resolve, 20));
  await control.change(CUSTOMER, { first: true, last: true });
  await control.publish(1, keyed(release(upstreamUrl, issuer.issuer)));
  for (const { port } of [bare, gateway]) await load(port, { path: PATH, headers: KEY_HEADERS, ms: warmMs });
  const { ratio, failed } = await keyedRoute({ bare, gateway, rounds, ms, path: PATH });
  const close = () => {
    for (const one of [bare, gateway]) end(one);
    control.close();
  };
  return { figures: { [name]: ratio }, failed, close };
}
