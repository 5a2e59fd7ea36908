// The gateway node as it is shipped, fed by a control plane in the bench process; tracing stays on.
import { readFileSync } from 'node:fs';
import { GatewayNode } from '../apps/gateway/dist/gateway-node.js';

const [controlUrl, token, folder, redisUrl = ''] = process.argv.slice(2);
const node = new GatewayNode({
  name: 'bench',
  host: '127.0.0.1',
  port: 0,
  controlUrl,
  token,
  folder,
  log: () => undefined,
  ...(redisUrl === '' ? {} : { redisUrl }),
});
const url = await node.start();
process.send({ port: Number(new URL(url).port) });
// How long the thread that serves was kept at one time since it was last asked to begin: by its own work and by the collector
// of its process, and, for scale, with what it waited for a processor, which the load and the upstream use as well.
const stalls = { on: false, kept: 0, whole: 0 };
const waited = () => Number(readFileSync('/proc/thread-self/schedstat', 'utf8').split(' ')[1]) / 1e6;
function look(lastAt, lastWaited) {
  const [at, wait] = [performance.now(), waited()];
  stalls.whole = Math.max(stalls.whole, at - lastAt);
  stalls.kept = Math.max(stalls.kept, at - lastAt - (wait - lastWaited));
  if (stalls.on) setTimeout(look, 1, at, wait);
}
const measure = () => {
  globalThis.gc();
  globalThis.gc();
  const { heapUsed, external, arrayBuffers } = process.memoryUsage();
  process.send({ used: heapUsed + external + arrayBuffers });
};
process.on('message', (message) => {
  if (message === 'measure') return measure();
  // Looking at the loop every millisecond is work of its own, which no other measure is to carry.
  stalls.on = message === 'begin';
  if (!stalls.on) return;
  Object.assign(stalls, { kept: 0, whole: 0 });
  setTimeout(look, 1, performance.now(), waited());
});
// Who listens may have gone meanwhile.
setInterval(() => process.send({ memory: process.memoryUsage(), status: node.status(), stall: { ...stalls } }, () => undefined), 200);
process.on('disconnect', () => process.exit(0));
