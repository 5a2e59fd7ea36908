import { checkSettingNames } from '@virga/protocol/node';
import type { NodeOptions } from './node-options.js';

type Environment = Readonly<Record<string, string | undefined>>;

/**
 * Reads how a node runs from its environment. A setting that is there and empty is never taken for one that was left out: an empty host
 * would listen at every address, an empty store let each node count by itself.
 * @throws Error in words for a setting that is missing, empty or no value of its kind
 */
export function readOptions(env: Environment): Omit<NodeOptions, 'log'> {
  checkSettingNames(env);
  const publicOrigin = addressOf(env, 'VIRGA_GATEWAY_URL');
  const redisUrl = given(env, 'VIRGA_REDIS_URL');
  const tls = tlsOf(env);
  return {
    name: given(env, 'VIRGA_NODE_NAME') ?? 'local',
    host: given(env, 'VIRGA_GATEWAY_HOST') ?? '127.0.0.1',
    port: portOf(env, 'VIRGA_GATEWAY_PORT') ?? 4181,
    ...(publicOrigin === undefined ? {} : { publicOrigin }),
    ...(tls === undefined ? {} : { tls }),
    ...(redisUrl === undefined ? {} : { redisUrl }),
    controlUrl: addressOf(env, 'VIRGA_CONTROL_URL') ?? 'http://127.0.0.1:4180',
    token: demanded(env, 'VIRGA_NODE_TOKEN'),
    folder: given(env, 'VIRGA_NODE_DIR') ?? '.virga/node',
  };
}

function tlsOf(env: Environment): NodeOptions['tls'] {
  const names = ['VIRGA_TLS_PORT', 'VIRGA_TLS_CERTIFICATE', 'VIRGA_TLS_KEY', 'VIRGA_TLS_URL'];
  if (names.every((name) => env[name] === undefined)) return undefined;
  const publicOrigin = addressOf(env, 'VIRGA_TLS_URL');
  const port = portOf(env, 'VIRGA_TLS_PORT');
  if (port === undefined) throw new Error('the setting VIRGA_TLS_PORT is missing, beside others of TLS');
  return {
    port,
    certificateFile: demanded(env, 'VIRGA_TLS_CERTIFICATE'),
    keyFile: demanded(env, 'VIRGA_TLS_KEY'),
    ...(publicOrigin === undefined ? {} : { publicOrigin }),
  };
}

function given(env: Environment, name: string): string | undefined {
  const value = env[name];
  if (value?.trim() === '') throw new Error(`the setting ${name} is there and empty: give it a value, or leave it out`);
  return value;
}

function demanded(env: Environment, name: string): string {
  const value = given(env, name);
  if (value === undefined) throw new Error(`the setting ${name} is missing`);
  return value;
}

function portOf(env: Environment, name: string): number | undefined {
  const value = given(env, name);
  if (value === undefined) return undefined;
  const port = /^\d{1,5}$/.test(value) ? Number(value) : 0;
  if (port < 1 || port > 65_535) throw new Error(`${name} is a port from 1 to 65535, not ${value}`);
  return port;
}

/** An address, with a path where a hop in front adds one, without a slash at its end. */
function addressOf(env: Environment, name: string): string | undefined {
  const value = given(env, name);
  if (value === undefined) return undefined;
  const url = URL.canParse(value) ? new URL(value) : null;
  if (url === null || !/^https?:$/.test(url.protocol) || /[?#@\s]/.test(value))
    throw new Error(`${name} is an http or https address without a query, not ${value}`);
  return value.replace(/\/+$/, '');
}
