import type { KeySource, Ports } from '@virga/core';
import * as crypto from 'node:crypto';
import { performance } from 'node:perf_hooks';

/** The ports of a gateway node: real clocks, SHA-256 and the provider keys given. */
export function nodePorts(keys: KeySource): Ports {
  return {
    now: Date.now,
    ticks: () => performance.now(),
    digest: (text) => crypto.hash('sha256', text, 'base64url'),
    keys,
  };
}
