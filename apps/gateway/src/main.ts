import { GatewayNode } from './gateway-node.js';

/** Reads a setting from the environment. */
function setting(name: string, fallback?: string): string {
  const value = process.env[name] ?? fallback;
  if (value === undefined) {
    console.error(`gateway: the setting ${name} is missing`);
    process.exit(2);
  }
  return value;
}

const origin = process.env['VIRGA_GATEWAY_URL'];
const tlsPort = process.env['VIRGA_TLS_PORT'];
const tlsOrigin = process.env['VIRGA_TLS_URL'];
const tls = tlsPort
  ? {
      port: Number(tlsPort),
      certificateFile: setting('VIRGA_TLS_CERTIFICATE'),
      keyFile: setting('VIRGA_TLS_KEY'),
      ...(tlsOrigin === undefined ? {} : { publicOrigin: tlsOrigin }),
    }
  : undefined;
const redisUrl = process.env['VIRGA_REDIS_URL'];
const node = new GatewayNode({
  name: setting('VIRGA_NODE_NAME', 'local'),
  host: setting('VIRGA_GATEWAY_HOST', '127.0.0.1'),
  port: Number(setting('VIRGA_GATEWAY_PORT', '4181')),
  ...(origin === undefined ? {} : { publicOrigin: origin }),
  ...(tls ? { tls } : {}),
  ...(redisUrl ? { redisUrl } : {}),
  controlUrl: setting('VIRGA_CONTROL_URL', 'http://127.0.0.1:4180'),
  token: setting('VIRGA_NODE_TOKEN'),
  folder: setting('VIRGA_NODE_DIR', '.virga/node'),
  log: (text) => console.log(`${new Date().toISOString()} gateway: ${text}`),
});

let stopping = false;
const stop = (): void => {
  if (stopping) return;
  stopping = true;
  void node.stop().finally(() => process.exit(0));
};
process.on('SIGTERM', stop);
process.on('SIGINT', stop);
// A request or two may fail, the node does not: refusals are decided per request.
process.on('uncaughtException', (error) => console.error(`${new Date().toISOString()} gateway: uncaught ${error.stack ?? error.message}`));
process.on('unhandledRejection', (error) => console.error(`${new Date().toISOString()} gateway: unhandled ${String(error)}`));

try {
  const url = await node.start();
  console.log(`${new Date().toISOString()} gateway: listening at ${url}`);
} catch (error) {
  console.error(`gateway: cannot listen: ${(error as Error).message}`);
  process.exit(1);
}
