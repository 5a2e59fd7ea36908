// The gateway node as it is shipped, fed by a control plane in the bench process; tracing stays on.
import { readFileSync } from 'node:fs';
import { PerformanceObserver } from 'node:perf_hooks';
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
// How long the thread that serves was kept at one time since it was last asked to begin, whole and by its own doing: for no longer than
// it had a processor and the collector of its process ran, and without what it waited for a processor, which the load and the upstream
// use as well. What remains of the whole is the machine beneath, which runs somebody else meanwhile.
const LONG_MS = 2;
let on = false;
let pauses = [];
let collections = [];
new PerformanceObserver((list) => on && collections.push(...list.getEntries())).observe({ entryTypes: ['gc'] });
/** What this thread had of a processor and waited for one so far, in milliseconds. */
function processor() {
  // The system brings its books up to date when it is asked for the times of the process.
  process.cpuUsage();
  const [had, waited] = readFileSync('/proc/thread-self/schedstat', 'utf8').split(' ');
  return { at: performance.now(), had: Number(had) / 1e6, waited: Number(waited) / 1e6 };
}
function look(last) {
  const now = processor();
  if (now.at - last.at > LONG_MS) pauses.push({ from: last.at, to: now.at, had: now.had - last.had, waited: now.waited - last.waited });
  if (on) setTimeout(look, 1, now);
}
function stall() {
  const kept = ({ from, to, had, waited }) => {
    const collected = collections.reduce(
      (sum, { startTime, duration }) => sum + Math.max(0, Math.min(to, startTime + duration) - Math.max(from, startTime)),
      0,
    );
    return Math.min(to - from - waited, had + collected);
  };
  return { kept: Math.max(0, ...pauses.map(kept)), whole: Math.max(0, ...pauses.map(({ from, to }) => to - from)) };
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
  on = message === 'begin';
  // What was seen is gone through afterwards, since that is work as well.
  if (!on) return process.send({ stall: stall() });
  [pauses, collections] = [[], []];
  setTimeout(look, 1, processor());
});
// Who listens may have gone meanwhile.
setInterval(() => process.send({ memory: process.memoryUsage(), status: node.status() }, () => undefined), 200);
process.on('disconnect', () => process.exit(0));
