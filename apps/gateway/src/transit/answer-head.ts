import type { BodyNeed, OperationContract } from '@virga/core';
import type { IncomingHttpHeaders } from 'node:http';
import type { Carrier } from './carrier.js';

/** Status, header fields and how to go on: what `start` of a carrier takes. */
export type Head = Parameters<Carrier['start']>;

/** Whether the content of an answer is looked into: whatever its contract reads, and every text where that is asked for. A stream has no end to wait for. */
export function readsAnswer(need: BodyNeed, contract: OperationContract | null, status: number, type: string | undefined): boolean {
  if (need.everyText === true) return !/^\s*text\/event-stream/i.test(type ?? '');
  return contract?.readsAnswer(status, type) ?? true;
}

/** Fields that speak of the bytes of a body, which are others now. */
const OF_BYTES = new Set([
  'content-encoding',
  'content-length',
  'content-md5',
  'content-digest',
  'repr-digest',
  'digest',
  'etag',
  'accept-ranges',
  'transfer-encoding',
]);

/** The head of an answer whose body was changed. */
export function headInstead([status, headers, resume]: Head, bytes: number): Head {
  const kept: string[] = [];
  for (let index = 0; index < headers.length; index += 2) {
    const name = headers[index] as string;
    if (!OF_BYTES.has(name.toLowerCase())) kept.push(name, headers[index + 1] as string);
  }
  return [status, [...kept, 'content-length', String(bytes)], resume];
}

/** Whether no content can follow the head of an answer (RFC 9110 section 6.4.1). */
export const isBodyless = (method: string, status: number): boolean => method === 'HEAD' || status === 204 || status === 304;

/** The length of an answer's body as its head says it; null where it does not. */
export function lengthOf(bodyless: boolean, headers: IncomingHttpHeaders): number | null {
  if (bodyless) return 0;
  const said = headers['content-length'];
  return typeof said === 'string' && /^\d{1,15}$/.test(said) ? Number(said) : null;
}
