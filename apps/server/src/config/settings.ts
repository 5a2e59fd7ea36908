import { checkSettingNames, originAt } from '@virga/protocol/node';
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

const OPTIONS: readonly string[] = ['--no-node', '--no-portal'];
/** What the node that is started here reads too. */
const OF_NODE = ['VIRGA_GATEWAY_URL', 'VIRGA_REDIS_URL', 'VIRGA_TLS_PORT', 'VIRGA_TLS_CERTIFICATE', 'VIRGA_TLS_KEY', 'VIRGA_TLS_URL'] as const;

/**
 * Reads settings from environment and arguments; tokens and the key for secrets live in files that only the owner can read. A setting
 * that is there and empty is never taken for one that was left out: an empty host would listen at every address.
 * @throws Error in words for what cannot be used
 */
export function readSettings(env: NodeJS.ProcessEnv, args: readonly string[]): ServerSettings {
  const unknown = args.find((arg) => !OPTIONS.includes(arg));
  if (unknown !== undefined) throw new Error(`there is no option ${unknown}; there are ${OPTIONS.join(' and ')}`);
  checkSettingNames(env);
  if (!args.includes('--no-node')) for (const name of OF_NODE) given(env, name);
  const dataFolder = resolve(given(env, 'VIRGA_DATA') ?? '.virga');
  mkdirSync(dataFolder, { recursive: true, mode: 0o700 });
  const port = portOf(env['VIRGA_PORT'], 4180);
  const host = given(env, 'VIRGA_HOST') ?? '127.0.0.1';
  const portalPort = portOf(env['VIRGA_PORTAL_PORT'], port + 2);
  return {
    host,
    port,
    gatewayPort: portOf(env['VIRGA_GATEWAY_PORT'], port + 1),
    portalPort: args.includes('--no-portal') ? null : portalPort,
    portalUrl: originOf(env['VIRGA_PORTAL_URL']) ?? originAt(host, portalPort),
    portalHops: hopsOf(env['VIRGA_PORTAL_HOPS']),
    dataFolder,
    environment: given(env, 'VIRGA_ENVIRONMENT') ?? 'production',
    startsNode: !args.includes('--no-node'),
    controlToken: keptSecret(dataFolder, 'control-token').toString('base64url'),
    nodeToken: keptSecret(dataFolder, 'node-token').toString('base64url'),
    secretKey: keptSecret(dataFolder, 'secret-key'),
  };
}

function given(env: NodeJS.ProcessEnv, name: string): string | undefined {
  const value = env[name];
  if (value?.trim() === '') throw new Error(`the setting ${name} is there and empty: give it a value, or leave it out`);
  return value;
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
