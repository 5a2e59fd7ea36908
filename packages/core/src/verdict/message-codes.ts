import { comparison, failing, meeting } from './code-entry.js';

/** What can be wrong with a message before its path is looked at, and faults of the gateway itself. */
export const MESSAGE_CODES = {
  'message.malformed': failing<{ reason: string }>('message', 400, {
    example: { reason: 'the header section has a bare line feed' },
    title: 'The request is not well-formed HTTP',
    sentence: (o) => `The request could not be read as HTTP: ${o.reason}.`,
    standard: 'RFC 9112 section 3',
    remedy:
      'Look at what sends it: conflicting lengths, bare line breaks and folded headers are refused because two readers would understand them differently.',
  }),
  'message.headers-too-large': failing<{ limitBytes: number }>('message', 431, {
    example: { limitBytes: 16384 },
    title: 'The header section is too large',
    sentence: (o) => `The header section is larger than ${o.limitBytes} bytes.`,
    standard: 'RFC 6585 section 5',
    remedy: 'Send fewer or shorter headers; cookies and tokens are the usual cause.',
  }),
  'message.timeout': failing<{ limitMs: number }>('message', 408, {
    example: { limitMs: 30000 },
    title: 'The request took too long to arrive',
    sentence: (o) => `The request was not complete after ${o.limitMs} ms.`,
    standard: 'RFC 9110 section 15.5.9',
    remedy: 'A slow network or a client that stopped sending. If uploads are slow by nature, raise the time limit of the listener.',
  }),
  'message.host-missing': failing<{ found: number }>('message', 400, {
    example: { found: 0 },
    title: 'The request needs exactly one Host header',
    sentence: (o) => `The request has ${o.found} Host headers; it needs exactly one.`,
    compare: (o) => [comparison('Host headers', '1', String(o.found))],
    standard: 'RFC 9112 section 3.2',
    remedy: 'Mend the client: every HTTP/1.1 request carries one Host header.',
  }),
  'message.host-malformed': failing<{ found: string }>('message', 400, {
    example: { found: 'gates example' },
    title: 'The Host header is not a host',
    sentence: (o) => `The Host header holds “${o.found}”, which is no host name or address with an optional port.`,
    compare: (o) => [comparison('Host', 'a name or address, with an optional port', o.found)],
    standard: 'RFC 9110 section 7.2; RFC 9112 section 3.2',
    remedy: 'Mend the client. The upstream is told this value, so it is taken only in the form that the standard gives it.',
  }),
  'message.headers-too-many': failing<{ count: number; limit: number }>('message', 431, {
    example: { count: 220, limit: 200 },
    title: 'There are too many header fields',
    sentence: (o) => `The request has ${o.count} header fields; at most ${o.limit} are read.`,
    compare: (o) => [comparison('header fields', `at most ${o.limit}`, String(o.count))],
    standard: 'RFC 6585 section 5',
    remedy: 'Look at what sends it: nothing needs so many.',
  }),
  'message.transfer-coding': failing<{ found: string }>('message', 501, {
    example: { found: 'gzip' },
    title: 'This transfer coding is not taken',
    sentence: (o) => `The body is sent with the transfer coding ${o.found}; only chunked is taken.`,
    compare: (o) => [comparison('Transfer-Encoding', 'chunked', o.found)],
    standard: 'RFC 9112 sections 6.1 and 7',
    remedy: 'Compress the content and say so in Content-Encoding, not in Transfer-Encoding.',
  }),
  'message.sender-too-slow': failing<{ bytesPerSecond: number; least: number; overMs: number }>('message', 408, {
    example: { bytesPerSecond: 12, least: 500, overMs: 10000 },
    title: 'The request arrived too slowly',
    sentence: (o) => `The body arrived with ${o.bytesPerSecond} bytes a second over ${o.overMs} ms; at least ${o.least} are asked for.`,
    compare: (o) => [comparison('bytes a second', `at least ${o.least}`, String(o.bytesPerSecond))],
    standard: 'RFC 9110 section 15.5.9',
    remedy: 'A slow caller holds a connection of the upstream. If uploads are slow by nature, lower the least pace under the API’s upstream.',
  }),
  'message.reader-too-slow': failing<{ bytesPerSecond: number; least: number; overMs: number }>('message', 499, {
    example: { bytesPerSecond: 12, least: 500, overMs: 10000 },
    title: 'The answer was read too slowly',
    sentence: (o) =>
      `The caller took ${o.bytesPerSecond} bytes a second of its answer over ${o.overMs} ms; at least ${o.least} are asked for. The connection was closed.`,
    compare: (o) => [comparison('bytes a second', `at least ${o.least}`, String(o.bytesPerSecond))],
    standard: 'common practice (499 is never sent)',
    remedy: 'A slow reader holds a connection of the upstream. If downloads are slow by nature, lower the least pace under the API’s upstream.',
  }),
  'gateway.no-release': failing<Record<never, never>>('message', 503, {
    title: 'The gateway has no release yet',
    sentence: () => 'This node has no release: none was ever published, or it could not reach the control plane since it started.',
    standard: 'RFC 9110 section 15.6.4',
    remedy: 'Publish a release, and look at Releases whether the node is connected.',
  }),
  'gateway.fault': failing<{ at: string }>('message', 500, {
    example: { at: 'token' },
    title: 'The gateway failed on this request',
    sentence: (o) => `A fault inside the gateway at ${o.at}; the request was refused rather than let through.`,
    standard: 'RFC 9110 section 15.6.1',
    remedy: 'This is a defect of the gateway. The node’s log has the stack.',
  }),
  'message.read': meeting<Record<never, never>>('message', { sentence: () => 'The request is well-formed.' }),
} as const;
