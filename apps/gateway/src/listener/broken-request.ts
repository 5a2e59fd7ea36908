import { answerOf, Exchange, finding, type Finding } from '@virga/core';
import type { Duplex } from 'node:stream';
import { newRequestId } from './request-ids.js';

type ParserError = Error & { code?: string; reason?: string };

/** What is wrong with a message that the HTTP parser refused. */
export function findingOf(error: ParserError, limits: { maxHeaderBytes: number; requestTimeoutMs: number }): Finding {
  if (error.code === 'HPE_HEADER_OVERFLOW') return finding('message.headers-too-large', { limitBytes: limits.maxHeaderBytes });
  if (error.code === 'ERR_HTTP_REQUEST_TIMEOUT') return finding('message.timeout', { limitMs: limits.requestTimeoutMs });
  return finding('message.malformed', { reason: (error.reason ?? error.message).slice(0, 200) });
}

/** Answers on the bare socket, because there is no request to answer, and closes it. */
export function answerBroken(socket: Duplex, found: Finding, publicOrigin: string): string {
  const requestId = newRequestId();
  const answer = answerOf(found, new Exchange({ method: '', target: '', headers: {} }), { publicOrigin, requestId });
  if (socket.writable) {
    const headers = Object.entries({
      ...answer.headers,
      'content-length': String(Buffer.byteLength(answer.body ?? '')),
      connection: 'close',
      'x-request-id': requestId,
    });
    socket.end(`HTTP/1.1 ${answer.status} Refused\r\n${headers.map(([name, value]) => `${name}: ${value}\r\n`).join('')}\r\n${answer.body ?? ''}`);
  } else socket.destroy();
  return requestId;
}
