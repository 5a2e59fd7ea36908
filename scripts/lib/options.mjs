import { resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { ROOT } from './prepare.mjs';

/** Ports from 1024 that browsers and `fetch` refuse to call (Fetch Standard, “bad port”; from memory). */
const CLOSED_PORTS = new Set([1719, 1720, 1723, 2049, 3659, 4045, 4190, 5060, 5061, 6000, 6566, 6665, 6666, 6667, 6668, 6669, 6679, 6697, 10080]);

/** Options that the demo and the start share. Ends the process with a sentence when one is wrong. */
export function readOptions(extra = {}) {
  let values;
  try {
    ({ values } = parseArgs({
      options: {
        'port-base': { type: 'string', default: '4180' },
        data: { type: 'string', default: '.virga' },
        fresh: { type: 'boolean', default: false },
        ...extra,
      },
    }));
  } catch (error) {
    fail(error.message);
  }
  const portBase = Number(values['port-base']);
  if (!Number.isInteger(portBase) || portBase < 1024 || portBase > 65_000) fail('--port-base takes a number from 1024 to 65000');
  const closed = [0, 1, 11, 12, 13, 14, 15].map((more) => portBase + more).find((port) => CLOSED_PORTS.has(port));
  if (closed !== undefined) fail(`browsers send nothing to port ${closed}; choose another --port-base`);
  return { ...values, portBase, folder: resolve(ROOT, values.data) };
}

export function fail(message) {
  console.error(`virga: ${message}`);
  process.exit(2);
}
