import { originAt } from '@virga/protocol/node';
import 'reflect-metadata';
import { readSettings } from './config/settings.js';

const fail = (error: unknown): never => {
  const reason = error as NodeJS.ErrnoException;
  const text = reason.code === 'EADDRINUSE' ? `the port is in use: ${reason.message}` : reason.message;
  console.error(`virga: cannot start: ${text}`);
  process.exit(1);
};

// Every promise has an owner; one that has none is a defect, and no reason to end what serves everybody else.
process.on('unhandledRejection', (reason) => console.error(`virga: a failure that nobody waited for: ${(reason as Error).stack ?? String(reason)}`));

try {
  const password = process.env['VIRGA_OPERATOR_PASSWORD'];
  // No process that this one starts needs it.
  delete process.env['VIRGA_OPERATOR_PASSWORD'];
  const settings = readSettings(process.env, process.argv.slice(2));
  // Settings that cannot be used are told before everything is loaded that uses them.
  const { ControlPlane } = await import('./control-plane.js');
  const plane = await ControlPlane.start(settings, password);
  console.log(`virga: console and control API at ${originAt(settings.host, settings.port)}`);
  if (settings.portalPort !== null) console.log(`virga: portal at ${settings.portalUrl}`);
  if (plane.operator) console.log(`virga: sign in as ${plane.operator.name} with the password ${plane.operator.password} (shown once)`);
  let stopping = false;
  const stop = (): void => {
    if (stopping) return;
    stopping = true;
    void plane.stop().then(() => process.exit(0), fail);
  };
  process.on('SIGTERM', stop);
  process.on('SIGINT', stop);
  // Whoever started this process is gone.
  if (process.send) process.on('disconnect', stop);
  process.send?.({ type: 'ready', operator: plane.operator });
} catch (error) {
  fail(error);
}
