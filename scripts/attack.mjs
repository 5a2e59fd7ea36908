// Attacks a running gateway over HTTP: who gets in that must not, and what one caller can bring down. Bounded in count
// and time; ends with exit code 1 at the first thing that gets through.
import { parseArgs } from 'node:util';
import { resolve } from 'node:path';
import { ADDRESSES } from '../attack/addresses.mjs';
import { AUTHORIZERS } from '../attack/authorizers.mjs';
import { CONDITIONS } from '../attack/conditions.mjs';
import { CALLERS } from '../attack/callers.mjs';
import { CREDENTIALS } from '../attack/credentials.mjs';
import { PRESSURE } from '../attack/pressure.mjs';
import { CONTRACT } from '../attack/contract.mjs';
import { BODY_RULES } from '../attack/body-rules.mjs';
import { LEARNING } from '../attack/learning.mjs';
import { LIMITS } from '../attack/limits.mjs';
import { PORTAL } from '../attack/portal.mjs';
import { TRIALS } from '../attack/trials.mjs';
import { makeWorld } from '../attack/world.mjs';
import { prepare } from './lib/prepare.mjs';

const MOST_MS = 300_000;
const { values } = parseArgs({ options: { data: { type: 'string' }, 'port-base': { type: 'string', default: '4180' } } });
await prepare();
const limit = setTimeout(() => {
  console.error('attack: it took too long');
  process.exit(1);
}, MOST_MS);
const world = await makeWorld(values.data === undefined ? null : { folder: resolve(values.data), port: Number(values['port-base']) });
let held = 0;
let through = null;
try {
  for (const [name, attack] of Object.entries({
    ...CALLERS,
    ...ADDRESSES,
    ...CONDITIONS,
    ...AUTHORIZERS,
    ...CREDENTIALS,
    ...TRIALS,
    ...CONTRACT,
    ...BODY_RULES,
    ...LEARNING,
    ...LIMITS,
    ...PORTAL,
    ...PRESSURE,
  })) {
    const found = await attack(world);
    if (found !== null) {
      through = `${name}: ${found}`;
      break;
    }
    held++;
    console.log(`  held  ${name}`);
  }
} finally {
  await world.end();
}
clearTimeout(limit);
if (through !== null) {
  console.error(`  GOT THROUGH  ${through}`);
  process.exit(1);
}
console.log(`${held} attacks held`);
process.exit(0);
