import { connect } from 'node:net';
import { load } from './load.mjs';

/** From sending a change of a client to the node's word that it is in force, while requests come: the longest of many. */
export async function directoryUnderLoad(control, gateway, asked) {
  await control.change([], { first: true, last: true });
  const running = load(gateway.port, { ...asked, ms: 4000 });
  const effects = [];
  for (let index = 0; index < 20; index++) {
    await new Promise((resolve) => setTimeout(resolve, 100));
    const value = { id: `c${index}`, name: `Client ${index}`, enabled: true, roles: [], metadata: {} };
    effects.push(await control.change([{ what: 'client', id: value.id, value }]));
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
