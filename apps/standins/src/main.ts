import type { Server } from 'node:http';
import { join } from 'node:path';
import { HEADGATES_RESOURCE, READINGS_RESOURCE } from './provider/people.js';
import { TrustSignIn } from './provider/trust-sign-in.js';
import { headgates } from './upstreams/headgates.js';
import { meterReadings } from './upstreams/meter-readings.js';

const HOST = '127.0.0.1';
const port = Number(process.env['VIRGA_STANDIN_PORT'] ?? 4190);
const folder = process.env['VIRGA_STANDIN_DATA'] ?? '.virga/standins';
const consoleUrl = process.env['VIRGA_CONSOLE_URL'] ?? 'http://127.0.0.1:4180';

const listen = (server: Server, at: number): Promise<void> => new Promise((resolve, reject) => server.once('error', reject).listen(at, HOST, resolve));

try {
  const signIn = new TrustSignIn(`http://${HOST}:${port}`, join(folder, 'trust-sign-in-keys.json'), [`${consoleUrl}/control/v1/personas/callback`]);
  await signIn.start(port, HOST);
  const gatesAddress = `http://${HOST}:${port + 1}`;
  const readingsAddress = `http://${HOST}:${port + 2}`;
  await listen(headgates(), port + 1);
  await listen(meterReadings(readingsAddress), port + 2);
  const standins = [
    signIn.facts(),
    { name: 'Headgates', kind: 'upstream', address: gatesAddress, resource: HEADGATES_RESOURCE },
    { name: 'Meter readings', kind: 'upstream', address: readingsAddress, resource: READINGS_RESOURCE },
  ];
  process.send?.({ type: 'ready', standins });
  if (!process.send) console.log(JSON.stringify(standins, null, 2));
} catch (error) {
  console.error(`stand-ins: cannot start: ${(error as Error).message}`);
  process.exit(1);
}

for (const signal of ['SIGTERM', 'SIGINT'] as const) process.on(signal, () => process.exit(0));
// Whoever started this process is gone.
if (process.send) process.on('disconnect', () => process.exit(0));
