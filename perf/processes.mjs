// The programs that a bench runs beside itself.
import { fork } from 'node:child_process';
import { join } from 'node:path';
import { ROOT } from '../scripts/lib/prepare.mjs';

const children = new Set();

/** Starts a program of this folder. @returns its process, and the port at which it listens */
export function start(program, ...args) {
  // As the gateway's own `npm start` has it, and a way to collect before memory is measured.
  const execArgv = ['--expose-gc', ...(program === 'gateway.mjs' ? ['--initial-heap-size=128'] : [])];
  const child = fork(join(ROOT, 'perf', program), args, { execArgv, stdio: ['ignore', 'inherit', 'inherit', 'ipc'] });
  children.add(child);
  child.latest = {};
  return new Promise((resolve) =>
    child.on('message', (message) => (message.port ? resolve({ child, port: message.port }) : Object.assign(child.latest, message))),
  );
}

/** Ends a program: it ends itself once nobody listens. */
export function end({ child }) {
  if (children.delete(child)) child.disconnect();
}

export function endAll() {
  for (const child of children) end({ child });
}

/** The longest time for which the serving thread of a node was `kept` while something runs, and the `whole` of it with its waiting for a processor; milliseconds. */
export async function longestStall(gateway, during) {
  gateway.child.send('begin');
  await new Promise((resolve) => setTimeout(resolve, 250));
  await during();
  await new Promise((resolve) => setTimeout(resolve, 500));
  gateway.child.latest.stall = null;
  gateway.child.send('end');
  while (gateway.child.latest.stall === null) await new Promise((resolve) => setTimeout(resolve, 20));
  return gateway.child.latest.stall;
}

/**
 * Two starts of one program differ by 6 %, for as long as they run (docs/decisions/023). So many are measured one after another, each
 * beside a forwarder of its own.
 */
const STARTS = 3;

/**
 * Measures several starts.
 * @param one measures a start: figures by name, how many requests `failed`, and `close`, which ends what it started
 * @returns the medians of the figures, all that `failed`, and the last start, which is left running
 */
export async function severalStarts(one) {
  const starts = [];
  for (let index = 0; index < STARTS; index++) {
    await starts.at(-1)?.close();
    starts.push(await one());
    process.stdout.write(`start ${index + 1}: ${JSON.stringify(starts.at(-1).figures)}\n`);
  }
  const medianOf = (name) => starts.map(({ figures }) => figures[name]).sort((a, b) => a - b)[Math.floor(STARTS / 2)];
  return {
    figures: Object.fromEntries(Object.keys(starts[0].figures).map((name) => [name, medianOf(name)])),
    failed: starts.reduce((sum, { failed }) => sum + failed, 0),
    last: starts.at(-1),
  };
}
