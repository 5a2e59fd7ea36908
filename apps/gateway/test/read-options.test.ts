import { originAt, SETTING_NAMES } from '@virga/protocol/node';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { readOptions } from '../src/read-options.js';

const TOKEN = { VIRGA_NODE_TOKEN: 'a token' };

describe('how a node runs', () => {
  test('is said by its environment, with a default for all but its token', () => {
    expect(readOptions(TOKEN)).toEqual({
      name: 'local',
      host: '127.0.0.1',
      port: 4181,
      controlUrl: 'http://127.0.0.1:4180',
      token: 'a token',
      folder: '.virga/node',
    });
    expect(
      readOptions({
        ...TOKEN,
        VIRGA_NODE_NAME: 'east',
        VIRGA_GATEWAY_HOST: '0.0.0.0',
        VIRGA_GATEWAY_PORT: '8443',
        VIRGA_GATEWAY_URL: 'https://gw.example/',
        VIRGA_REDIS_URL: 'redis://127.0.0.1:6379',
        VIRGA_CONTROL_URL: 'https://control.example/virga',
        VIRGA_TLS_PORT: '8444',
        VIRGA_TLS_CERTIFICATE: 'c.pem',
        VIRGA_TLS_KEY: 'k.pem',
      }),
    ).toMatchObject({
      host: '0.0.0.0',
      port: 8443,
      publicOrigin: 'https://gw.example',
      redisUrl: 'redis://127.0.0.1:6379',
      controlUrl: 'https://control.example/virga',
      tls: { port: 8444, certificateFile: 'c.pem', keyFile: 'k.pem' },
    });
  });

  test.each(
    ['HOST', 'PORT', 'URL']
      .map((name) => `VIRGA_GATEWAY_${name}`)
      .concat('VIRGA_REDIS_URL', 'VIRGA_TLS_PORT', 'VIRGA_NODE_TOKEN', 'VIRGA_NODE_DIR', 'VIRGA_CONTROL_URL'),
  )('%s that is empty is not taken for one that was left out', (name) => {
    for (const value of ['', ' ']) expect(() => readOptions({ ...TOKEN, [name]: value })).toThrow(`the setting ${name} is there and empty`);
  });

  test.each<[Record<string, string>, RegExp]>([
    [{ VIRGA_GATEWAY_PORT: '80a' }, /VIRGA_GATEWAY_PORT is a port from 1 to 65535, not 80a/],
    [{ VIRGA_GATEWAY_PORT: '0' }, /is a port/],
    [{ VIRGA_GATEWAY_PORT: '65536' }, /is a port/],
    [{ VIRGA_TLS_PORT: '1e3', VIRGA_TLS_CERTIFICATE: 'c', VIRGA_TLS_KEY: 'k' }, /VIRGA_TLS_PORT is a port/],
    [{ VIRGA_TLS_CERTIFICATE: 'c.pem', VIRGA_TLS_KEY: 'k.pem' }, /VIRGA_TLS_PORT is missing/],
    [{ VIRGA_TLS_PORT: '8444', VIRGA_TLS_KEY: 'k.pem' }, /VIRGA_TLS_CERTIFICATE is missing/],
    [{ VIRGA_GATEWAY_URL: 'gw.example' }, /VIRGA_GATEWAY_URL is an http or https address/],
    [{ VIRGA_GATEWAY_URL: 'https://gw.example/?a=1' }, /without a query/],
    [{ VIRGA_CONTROL_URL: 'ftp://control.example' }, /VIRGA_CONTROL_URL is an http or https address/],
  ])('%j is told', (change, says) => expect(() => readOptions({ ...TOKEN, ...change })).toThrow(says));

  test('a node without a token has none', () => expect(() => readOptions({})).toThrow('the setting VIRGA_NODE_TOKEN is missing'));

  test.each(['VIRGA_REDIS_URI', 'VIRGA_TLS_CERT', 'VIRGA_GATEWAY_PROT', 'virga_redis_url', 'VIRGA_'])('%s is told to be no setting', (name) => {
    expect(() => readOptions({ ...TOKEN, [name]: 'a value' })).toThrow(`there is no setting ${name}; there are VIRGA_CONSOLE_URL, `);
  });

  test('what a platform of containers adds by itself is passed over', () => {
    const added = { VIRGA_GATEWAY_SERVICE_HOST: '10.0.0.1', VIRGA_REDIS_SERVICE_PORT_REDIS: '6379', VIRGA_REDIS_PORT_6379_TCP_ADDR: '10.0.0.2', OTHER: '' };
    expect(readOptions({ ...TOKEN, ...added })).toEqual(readOptions(TOKEN));
  });

  test('every setting that a program reads has its name in the table, and the other way round', () => {
    const root = new URL('../../../', import.meta.url).pathname;
    const sources = ['apps', 'scripts'].flatMap((folder) =>
      readdirSync(join(root, folder), { recursive: true, encoding: 'utf8' })
        .filter((file) => /^(?:[a-z]+\/src\/.*\.ts|[a-z-]+\.mjs)$/.test(file))
        .map((file) => readFileSync(join(root, folder, file), 'utf8')),
    );
    const read = sources.flatMap((text) => [...text.matchAll(/(?:'|env\.)(VIRGA_[A-Z_]+)\b/g)].map(([, name]) => name));
    expect([...new Set(read)].sort()).toEqual([...SETTING_NAMES].sort());
  });
});

test.each([
  ['127.0.0.1', 'http://127.0.0.1:80'],
  ['localhost', 'http://localhost:80'],
  // RFC 3986 section 3.2.2.
  ['::1', 'http://[::1]:80'],
  ['::ffff:192.0.2.1', 'http://[::ffff:192.0.2.1]:80'],
])('the address at %s is %s', (host, address) => expect(originAt(host, 80)).toBe(address));
