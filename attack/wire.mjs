import { connect } from 'node:net';

/** Writes bytes to a server, reads until it closes or is silent; every connection is bounded in time. */
export function raw(target, text, { silenceMs = 1500, from = '127.0.0.1', mostMs = 8000 } = {}) {
  return new Promise((resolve) => {
    const socket = connect({ host: target.hostname, port: Number(target.port), localAddress: from });
    let received = '';
    const end = setTimeout(() => socket.destroy(), mostMs);
    socket.setTimeout(silenceMs, () => socket.destroy());
    socket.on('data', (part) => (received += part.toString('latin1')));
    socket.on('error', () => undefined);
    socket.on('close', () => {
      clearTimeout(end);
      resolve(received);
    });
    socket.write(text, 'latin1');
  });
}

/** Opens a connection that sends something and never reads. */
export function hold(target, text, from = '127.0.0.1') {
  const socket = connect({ host: target.hostname, port: Number(target.port), localAddress: from });
  socket.on('error', () => undefined);
  socket.pause();
  socket.write(text, 'latin1');
  return socket;
}

export const statusOf = (received) => Number(/^HTTP\/1\.1 (\d{3})/.exec(received)?.[1] ?? 0);
export const request = (method, path, headers = {}, body = '') =>
  `${method} ${path} HTTP/1.1\r\nHost: attack.example\r\nConnection: close\r\n${Object.entries(headers)
    .map(([name, value]) => `${name}: ${value}\r\n`)
    .join('')}\r\n${body}`;
