import type { Server } from 'node:http';
import { join } from 'node:path';
import { DUNLIN_FIELDWORKS, ALLOTMENTS_RESOURCE, HEADGATES_RESOURCE, READINGS_RESOURCE, STATE_WATER_REGISTRY, TRUST_SIGN_IN } from './provider/people.js';
import type { House } from './provider/house.js';
import { StandinProvider } from './provider/standin-provider.js';
import { waterRight, WATER_RIGHT_SECRET } from './decisions/water-right.js';
import { headgates } from './upstreams/headgates.js';
import { allotments } from './upstreams/allotments.js';
import { meterReadings } from './upstreams/meter-readings.js';

const HOST = '127.0.0.1';
const port = Number(process.env['VIRGA_STANDIN_PORT'] ?? 4191);
const folder = process.env['VIRGA_STANDIN_DATA'] ?? '.virga/standins';
const consoleUrl = process.env['VIRGA_CONSOLE_URL'] ?? 'http://127.0.0.1:4180';
const portalUrl = process.env['VIRGA_PORTAL_URL'] ?? portalBeside(consoleUrl);

const listen = (server: Server, at: number): Promise<void> => new Promise((resolve, reject) => server.once('error', reject).listen(at, HOST, resolve));

try {
  const redirectUris = [
    ...['personas', 'bench'].map((part) => `${consoleUrl}/control/v1/${part}/callback`),
    ...['sign-in', 'tokens'].map((part) => `${portalUrl}/portal/v1/${part}/callback`),
  ];
  const open = async (house: House, at: number): Promise<StandinProvider> => {
    const keyFile = join(folder, `${house.name.toLowerCase().replaceAll(' ', '-')}-keys.json`);
    const provider = new StandinProvider(house, `http://${HOST}:${at}`, keyFile, redirectUris);
    await provider.start(at, HOST);
    return provider;
  };
  const signIn = await open(TRUST_SIGN_IN, port);
  const registry = await open(STATE_WATER_REGISTRY, port + 3);
  const dunlin = await open(DUNLIN_FIELDWORKS, port + 4);
  const gatesAddress = `http://${HOST}:${port + 1}`;
  const readingsAddress = `http://${HOST}:${port + 2}`;
  await listen(headgates(), port + 1);
  await listen(meterReadings(readingsAddress), port + 2);
  const allotmentsAddress = `http://${HOST}:${port + 6}`;
  await listen(allotments(), port + 6);
  const decisionsAddress = `http://${HOST}:${port + 5}`;
  await listen(waterRight(), port + 5);
  const standins = [
    signIn.facts(),
    { name: 'Headgates', kind: 'upstream', address: gatesAddress, resource: HEADGATES_RESOURCE },
    { name: 'Meter readings', kind: 'upstream', address: readingsAddress, resource: READINGS_RESOURCE },
    registry.facts(),
    dunlin.facts(),
    { name: 'Water right', kind: 'decision service', address: `${decisionsAddress}/access/v1/evaluation`, secret: WATER_RIGHT_SECRET },
    { name: 'Allotments', kind: 'upstream', address: allotmentsAddress, resource: ALLOTMENTS_RESOURCE },
  ];
  process.send?.({ type: 'ready', standins });
  if (!process.send) console.log(JSON.stringify(standins, null, 2));
} catch (error) {
  console.error(`stand-ins: cannot start: ${(error as Error).message}`);
  process.exit(1);
}

/** The portal is served two ports above the console. */
function portalBeside(address: string): string {
  const url = new URL(address);
  return `http://${url.hostname}:${Number(url.port) + 2}`;
}

for (const signal of ['SIGTERM', 'SIGINT'] as const) process.on(signal, () => process.exit(0));
// Whoever started this process is gone.
if (process.send) process.on('disconnect', () => process.exit(0));
