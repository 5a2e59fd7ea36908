import { cpSync, mkdtempSync, readFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { GatewayNode } from '../src/gateway-node.js';

test.each(['data-before-clients'])(
  'what a node of an earlier version kept on disk (%s) is served without a control plane, and refuses as before',
  async (name) => {
    const fixture = fileURLToPath(new URL(`../../server/test/fixtures/${name}`, import.meta.url));
    const folder = mkdtempSync(join(tmpdir(), 'virga-earlier-node-'));
    cpSync(join(fixture, 'node'), folder, { recursive: true });
    const token = readFileSync(join(fixture, 'node-token'), 'utf8').trim();
    const log: string[] = [];
    // Nothing listens at the control plane's address.
    const node = new GatewayNode({ name: 'local', host: '127.0.0.1', port: 0, controlUrl: 'http://127.0.0.1:9', token, folder, log: (text) => log.push(text) });
    const url = await node.start();
    try {
      expect(node.status()).toMatchObject({ release: { number: 1 }, refusedRelease: null, directory: null });
      expect((await fetch(`${url}/headgates/gates`)).status).toBe(401);
      expect(log).toContain('release 1 is live');
    } finally {
      await node.stop();
    }
  },
);
