import { finding, type Finding } from '@virga/core';
import type { IncomingMessage } from 'node:http';
import { PassThrough } from 'node:stream';
import { isHost } from '../transit/forward-names.js';
import { LISTENER_LIMITS } from './listener-limits.js';

/**
 * The body of a request as a stream of its own. The client library destroys the body it was given when a call fails;
 * given the request itself, it would close the caller's connection before the refusal could be written.
 */
export function detached(req: IncomingMessage, take: (part: Buffer) => void, end: () => void): PassThrough {
  const body = new PassThrough();
  req.on('data', take);
  req.once('end', end);
  req.pipe(body);
  req.once('error', (error) => body.destroy(error));
  body.on('error', () => undefined);
  return body;
}

/** The body that comes behind the head, with its length where that is said; null when none comes. */
export function bodyOf(req: IncomingMessage): { readonly bytes: number | null } | null {
  if (!hasBodyOf(req)) return null;
  return { bytes: req.headers['transfer-encoding'] === undefined ? Number(req.headers['content-length']) : null };
}

/** Whether a body comes behind the head. */
export const hasBodyOf = ({ headers }: IncomingMessage): boolean =>
  headers['transfer-encoding'] !== undefined || (headers['content-length'] !== undefined && headers['content-length'] !== '0');

/** The host that was read last: most requests name the same. */
let lastHost: string | null = null;

/** Whether a Host value is one that can be read. */
function isKnownHost(host: string): boolean {
  if (host === lastHost) return true;
  if (!isHost(host)) return false;
  lastHost = host;
  return true;
}

/** What two readers of this message could understand differently, or what it has too much of; null when nothing is. */
export function wrongMessage(req: IncomingMessage): Finding | null {
  const { host, 'transfer-encoding': coding } = req.headers;
  if (host === undefined || host.includes(',')) return finding('message.host-missing', { found: host === undefined ? 0 : host.split(',').length });
  if (!isKnownHost(host)) return finding('message.host-malformed', { found: host.slice(0, 200) });
  const count = req.rawHeaders.length / 2;
  if (count > LISTENER_LIMITS.maxHeaderFields) return finding('message.headers-too-many', { count, limit: LISTENER_LIMITS.maxHeaderFields });
  if (coding !== undefined && coding.trim().toLowerCase() !== 'chunked') return finding('message.transfer-coding', { found: coding.slice(0, 200) });
  return null;
}
