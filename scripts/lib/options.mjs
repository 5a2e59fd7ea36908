import { resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { ROOT } from './prepare.mjs';

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
  return { ...values, portBase, folder: resolve(ROOT, values.data) };
}

export function fail(message) {
  console.error(`virga: ${message}`);
  process.exit(2);
}
