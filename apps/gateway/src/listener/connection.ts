import { CredentialMemory } from '@virga/core';
import type { Socket } from 'node:net';

/** What is the same for all requests of one connection, found out once. It goes with its socket. */
export class Connection {
  /** The address the gateway saw, IPv4-mapped IPv6 written as IPv4 (RFC 4291 section 2.5.5.2). */
  readonly address: string;
  readonly memory = new CredentialMemory();

  constructor(socket: Socket) {
    const address = socket.remoteAddress ?? '';
    this.address = address.startsWith('::ffff:') ? address.slice(7) : address;
  }
}

const connections = new WeakMap<Socket, Connection>();

export function connectionOf(socket: Socket): Connection {
  let connection = connections.get(socket);
  if (!connection) connections.set(socket, (connection = new Connection(socket)));
  return connection;
}
