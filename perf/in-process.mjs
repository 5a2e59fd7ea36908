// Deciding in the process that measures.
import { closedPorts, Exchange, readKey } from '@virga/core';
import { hash } from 'node:crypto';
import { NODE_SIGNATURES } from '../apps/gateway/dist/ports/node-signatures.js';

/** Ports of a node that holds one key and nothing else. */
export async function portsFor(jwk) {
  const held = { generation: 1, state: 'fresh', keys: [await readKey(jwk)] };
  return closedPorts({
    now: Date.now,
    ticks: () => performance.now(),
    digest: (text) => hash('sha256', text, 'base64url'),
    keys: { held: () => held, refetch: () => Promise.resolve(held) },
    signatures: NODE_SIGNATURES,
  });
}

/** A request with a token. */
export const ask = (token) => new Exchange({ method: 'GET', target: '/bench/group7/things7/G-12', headers: { host: 'x', authorization: `Bearer ${token}` } });
