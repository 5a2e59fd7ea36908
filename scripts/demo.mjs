// Installs, builds, seeds and starts everything with the made-up data of the Velmora Basin Water Trust.
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { fail, readOptions } from './lib/options.mjs';
import { prepare } from './lib/prepare.mjs';

const options = readOptions({ traffic: { type: 'boolean', default: false } });
const { folder, portBase } = options;
const marker = join(folder, 'demo.json');
if (existsSync(join(folder, 'virga.sqlite')) && !existsSync(marker)) fail(`${folder} holds data that is not the demo's; choose another folder with --data`);
await prepare();
const { endNode, onInterrupt, Supervisor } = await import('./lib/supervise.mjs');
const { ControlClient } = await import('../demo/control-client.mjs');
const { seed } = await import('../demo/seed.mjs');
const { writeHistory } = await import('../demo/history.mjs');
const { PORTAL_OWNER } = await import('../demo/portal.mjs');
const { keepTrafficRunning } = await import('../demo/traffic.mjs');

if (options.fresh) rmSync(folder, { recursive: true, force: true });
mkdirSync(folder, { recursive: true, mode: 0o700 });
const kept = existsSync(marker) ? JSON.parse(readFileSync(marker, 'utf8')) : null;
const password = kept?.operator?.password ?? 'virga-demo';
const consoleUrl = `http://127.0.0.1:${portBase}`;
const portalUrl = `http://127.0.0.1:${portBase + 2}`;
// Where data is kept, its providers are known by the addresses that they had.
const standinPort = Number(kept ? new URL(kept.standins[0].address).port : portBase + 11);
const supervisor = new Supervisor();
onInterrupt(async () => {
  await supervisor.stop();
  endNode(folder);
});

try {
  const { standins } = await supervisor.start('stand-ins', 'apps/standins/dist/main.js', {
    VIRGA_STANDIN_PORT: String(standinPort),
    VIRGA_STANDIN_DATA: join(folder, 'standins'),
    VIRGA_CONSOLE_URL: consoleUrl,
    VIRGA_PORTAL_URL: portalUrl,
  });
  await supervisor.start('control plane', 'apps/server/dist/main.js', {
    VIRGA_DATA: folder,
    VIRGA_PORT: String(portBase),
    VIRGA_GATEWAY_PORT: String(portBase + 1),
    VIRGA_ENVIRONMENT: 'production',
    VIRGA_OPERATOR_PASSWORD: password,
  });
  const secretOf = (name) => readFileSync(join(folder, name), 'utf8').trim();
  const facts = {
    consoleUrl,
    controlUrl: `${consoleUrl}/control/v1`,
    controlToken: secretOf('control-token'),
    gatewayUrl: `http://127.0.0.1:${portBase + 1}`,
    portalUrl,
    operator: { name: 'operator', password },
    standins,
    // Keys and secrets that the demo gave its clients; the control plane keeps hashes only.
    made: kept?.made ?? null,
  };
  const control = new ControlClient(consoleUrl, facts.controlToken);
  const made = await seed(control, standins, portalUrl);
  if (made) facts.made = made;
  if (facts.made) {
    const place = { header: 'x-basin-key', api: 'Meter readings' };
    facts.keys = [{ client: 'Open data site', key: facts.made.openDataKey, plan: 'Open data', ...place }];
    facts.basic = facts.made.billing;
    facts.portalAccounts = facts.made.portalAccounts ?? [];
  }
  writeFileSync(marker, `${JSON.stringify(facts, null, 2)}\n`, { mode: 0o600 });
  if (made) await writeHistory(control, secretOf('node-token'), standins, made);
  console.log(`
Virga Ridge is running with the data of the Velmora Basin Water Trust (made up).

  console      ${facts.consoleUrl}      sign in as operator, password ${password}
  portal       ${facts.portalUrl}${facts.portalAccounts?.length ? `      sign in as ${PORTAL_OWNER.name}, password ${PORTAL_OWNER.password}` : ''}
  gateway      ${facts.gatewayUrl}
  sign-in      ${standins[0].issuer}      people of the trust have the password ${standins[0].users[0].password}
  facts        ${marker}

Ctrl-C stops everything.${options.traffic ? ' Gentle traffic is running.' : ' Start with --traffic to have gentle traffic.'}`);
  if (options.traffic) keepTrafficRunning(facts);
} catch (error) {
  console.error(`virga: ${error.stack ?? error.message}`);
  await supervisor.stop();
  endNode(folder);
  process.exit(1);
}
