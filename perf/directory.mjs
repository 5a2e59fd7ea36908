// What a directory of many clients costs a node: memory, start from disk, and a change of one key. Run with --expose-gc.
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { hash } from 'node:crypto';
import { ClientDirectory } from '../apps/gateway/dist/ports/client-directory.js';

const COUNT = 100_000;
const PAGE = 500;
const used = () => {
  globalThis.gc();
  globalThis.gc();
  return process.memoryUsage().heapUsed;
};
const lookupOf = (index) => hash('sha256', `key ${index}`, 'base64url');
/** Parsed anew each time, as every message is. */
const page = (from) =>
  JSON.parse(
    JSON.stringify(
      Array.from({ length: PAGE }, (_, at) => from + at).flatMap((index) => [
        { what: 'client', id: `client-${index}`, value: { id: `client-${index}`, name: `Client ${index}`, enabled: true, roles: ['reader'], metadata: {} } },
        {
          what: 'credential',
          id: `key-${index}`,
          value: {
            id: `key-${index}`,
            clientId: `client-${index}`,
            kind: 'key',
            name: 'first',
            lookup: lookupOf(index),
            digest: null,
            expiresAt: null,
            revokedAt: null,
          },
        },
      ]),
    ),
  );

const file = join(mkdtempSync(join(tmpdir(), 'virga-directory-')), 'directory.sealed');
const before = used();
const directory = new ClientDirectory('bench', file);
for (let from = 0; from < COUNT; from += PAGE)
  directory.take({ type: 'directory', number: 1, whole: { first: from === 0, last: from + PAGE >= COUNT }, changes: page(from) });
await directory.settle();
const bytes = used() - before;
if (directory.clients !== COUNT || directory.source.find('key', lookupOf(77_777)) === null) throw new Error('clients are missing');
const from = performance.now();
const again = new ClientDirectory('bench', file);
if (!(await again.restore()) || again.clients !== COUNT) throw new Error('the directory was not read back');
const startMs = performance.now() - from;
process.send({ port: 1, clients: COUNT, bytes, startMs });
