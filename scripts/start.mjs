// Starts console, control API and one gateway node, with no demo data.
import { join } from 'node:path';
import { readOptions } from './lib/options.mjs';
import { prepare } from './lib/prepare.mjs';

const options = readOptions({ 'no-node': { type: 'boolean', default: false }, 'no-portal': { type: 'boolean', default: false } });
await prepare();
const { endNode, onInterrupt, Supervisor } = await import('./lib/supervise.mjs');
const supervisor = new Supervisor();
onInterrupt(async () => {
  await supervisor.stop();
  endNode(options.folder);
});
try {
  const env = { VIRGA_DATA: options.folder, VIRGA_PORT: String(options.portBase), VIRGA_GATEWAY_PORT: String(options.portBase + 1) };
  await supervisor.start(
    'control plane',
    'apps/server/dist/main.js',
    env,
    ['no-node', 'no-portal'].filter((name) => options[name]).map((name) => `--${name}`),
  );
  console.log(`virga: control token in ${join(options.folder, 'control-token')}. Ctrl-C stops everything.`);
} catch (error) {
  console.error(`virga: ${error.message}`);
  await supervisor.stop();
  process.exit(1);
}
