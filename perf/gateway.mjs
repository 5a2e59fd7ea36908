// The gateway node as it is shipped, fed by a control plane in the bench process; tracing stays on.
import { monitorEventLoopDelay } from 'node:perf_hooks';
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
// How long the thread that serves was kept at one time, over what was measured since it was last asked to begin.
const stalls = monitorEventLoopDelay({ resolution: 1 });
const measure = () => {
  globalThis.gc();
  globalThis.gc();
  const { heapUsed, external, arrayBuffers } = process.memoryUsage();
  process.send({ used: heapUsed + external + arrayBuffers });
};
process.on('message', (message) => {
  if (message === 'measure') return measure();
  // Looking at the loop every millisecond is work of its own, which no other measure is to carry.
  if (message === 'begin') {
    stalls.enable();
    stalls.reset();
  } else stalls.disable();
});
setInterval(() => process.send({ memory: process.memoryUsage(), status: node.status(), stallMs: stalls.max / 1e6 }), 200);
process.on('disconnect', () => process.exit(0));
