import { randomBytes } from 'node:crypto';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { isIP } from 'node:net';
import { join, resolve } from 'node:path';

/** How this control plane runs; everything has a default. */
export interface ServerSettings {
  readonly host: string;
  readonly port: number;
  readonly gatewayPort: number;
  /** Of the portal; null where none is served. */
  readonly portalPort: number | null;
  /** Scheme, host and port by which browsers reach the portal. */
  readonly portalUrl: string;
  /** Addresses and networks in CIDR form of hops in front of the portal that say from where browsers come. */
  readonly portalHops: readonly string[];
  readonly dataFolder: string;
  readonly environment: string;
  /** False when gateway nodes run elsewhere. */
  readonly startsNode: boolean;
  readonly controlToken: string;
  readonly nodeToken: string;
  readonly secretKey: Buffer;
}

export const SETTINGS = Symbol('settings');

/** Reads settings from environment and arguments; tokens and the key for secrets live in files that only the owner can read. */
export function readSettings(env: NodeJS.ProcessEnv, args: readonly string[]): ServerSettings {
  const dataFolder = resolve(env['VIRGA_DATA'] ?? '.virga');
  mkdirSync(dataFolder, { recursive: true, mode: 0o700 });
  const port = portOf(env['VIRGA_PORT'], 4180);
  const host = env['VIRGA_HOST'] ?? '127.0.0.1';
  const portalPort = portOf(env['VIRGA_PORTAL_PORT'], port + 2);
  return {
    host,
    port,
    gatewayPort: portOf(env['VIRGA_GATEWAY_PORT'], port + 1),
    portalPort: args.includes('--no-portal') ? null : portalPort,
    portalUrl: originOf(env['VIRGA_PORTAL_URL']) ?? `http://${host}:${portalPort}`,
    portalHops: hopsOf(env['VIRGA_PORTAL_HOPS']),
    dataFolder,
    environment: env['VIRGA_ENVIRONMENT'] ?? 'production',
    startsNode: !args.includes('--no-node'),
    controlToken: keptSecret(dataFolder, 'control-token').toString('base64url'),
    nodeToken: keptSecret(dataFolder, 'node-token').toString('base64url'),
    secretKey: keptSecret(dataFolder, 'secret-key'),
  };
}

function originOf(text: string | undefined): string | null {
  if (text === undefined || text === '') return null;
  const url = URL.canParse(text) ? new URL(text) : null;
  if (!url || !/^https?:$/.test(url.protocol) || url.pathname !== '/' || url.search !== '')
    throw new Error(`VIRGA_PORTAL_URL is scheme, host and port of the portal and no more, not ${text}`);
  return url.origin;
}

function hopsOf(text: string | undefined): string[] {
  const hops = (text ?? '')
    .split(',')
    .map((hop) => hop.trim())
    .filter(Boolean);
  const wrong = hops.find((hop) => {
    const [address = '', bits, ...more] = hop.split('/');
    const most = isIP(address) === 4 ? 32 : 128;
    return isIP(address) === 0 || more.length > 0 || (bits !== undefined && !(/^\d+$/.test(bits) && Number(bits) <= most));
  });
  if (wrong !== undefined) throw new Error(`VIRGA_PORTAL_HOPS names addresses and networks in CIDR form, separated by commas, not ${wrong}`);
  return hops;
}

function portOf(text: string | undefined, fallback: number): number {
  const port = text === undefined ? fallback : Number(text);
  if (!Number.isInteger(port) || port < 1 || port > 65_535) throw new Error(`a port is a number from 1 to 65535, not ${text ?? ''}`);
  return port;
}

function keptSecret(folder: string, name: string): Buffer {
  const file = join(folder, name);
  try {
    const kept = Buffer.from(readFileSync(file, 'utf8').trim(), 'base64url');
    if (kept.length === 32) return kept;
    throw new Error(`${file} does not hold a key of 32 bytes; restore it, or move it away to have a new one made`);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'ENOENT') throw error;
    const made = randomBytes(32);
    writeFileSync(file, `${made.toString('base64url')}\n`, { mode: 0o600, flag: 'wx' });
    return made;
  }
}
