import { hash } from 'node:crypto';
import { connect } from 'node:net';
import { load } from './load.mjs';

/** From sending a key that was made, or revoked, to the node's word that it is in force, while requests come: the longest of forty. */
export async function keysUnderLoad(control, gateway, asked) {
  await control.change([], { first: true, last: true });
  const running = load(gateway.port, { ...asked, ms: 5500 });
  const effects = [];
  for (let index = 0; index < 20; index++) {
    const client = { id: `c${index}`, name: `Client ${index}`, enabled: true, roles: [], metadata: {} };
    const key = {
      id: `k${index}`,
      clientId: client.id,
      kind: 'key',
      name: 'first',
      lookup: hash('sha256', `key ${index}`, 'base64url'),
      digest: null,
      expiresAt: null,
      revokedAt: null,
    };
    const made = [
      { what: 'client', id: client.id, value: client },
      { what: 'credential', id: key.id, value: key },
    ];
    const revoked = [{ what: 'credential', id: key.id, value: { ...key, revokedAt: Date.now() } }];
    for (const changes of [made, revoked]) {
      await new Promise((resolve) => setTimeout(resolve, 100));
      effects.push(await control.change(changes));
    }
  }
  await running;
  return Math.round(Math.max(...effects));
}

/** Heap and buffers of a connection that stays open after one request. */
export async function idleConnections(gateway, { path, headers }) {
  const COUNT = 2000;
  const used = () =>
    new Promise((resolve) => {
      gateway.child.once('message', function hear(message) {
        if (message.used === undefined) return void gateway.child.once('message', hear);
        resolve(message.used);
      });
      gateway.child.send('measure');
    });
  const before = await used();
  const head = `GET ${path} HTTP/1.1\r\nhost: bench.example\r\n${Object.entries(headers)
    .map(([name, value]) => `${name}: ${value}\r\n`)
    .join('')}\r\n`;
  const sockets = [];
  for (let index = 0; index < COUNT; index++) {
    const socket = connect(gateway.port, '127.0.0.1');
    sockets.push(socket);
    socket.write(head);
    await new Promise((resolve) => socket.once('data', resolve));
  }
  const after = await used();
  for (const socket of sockets) socket.destroy();
  return Math.round((after - before) / COUNT);
}
