import { PROBE_HEADER } from '@virga/protocol';
import type { IncomingHttpHeaders } from 'node:http';

/** Hop-by-hop fields (RFC 9110 section 7.6.1) and those that the gateway writes itself. */
const NOT_UP = new Set([
  'connection',
  'keep-alive',
  'proxy-connection',
  'proxy-authenticate',
  'proxy-authorization',
  'te',
  'trailer',
  'transfer-encoding',
  'upgrade',
  'http2-settings',
  'expect',
  'host',
  'x-forwarded-for',
  'x-forwarded-host',
  'x-forwarded-proto',
  'x-forwarded-port',
  'forwarded',
  'x-real-ip',
  'via',
  'traceparent',
  'x-request-id',
  PROBE_HEADER,
  // Fields that let some upstreams route or act otherwise than the request line says: the rule of one operation would apply to another.
  'x-http-method-override',
  'x-http-method',
  'x-method-override',
  'x-original-url',
  'x-rewrite-url',
  'x-original-uri',
]);
const NOT_BACK = new Set(['connection', 'keep-alive', 'proxy-connection', 'proxy-authenticate', 'te', 'trailer', 'transfer-encoding', 'upgrade']);

/** What the gateway says to the upstream about the request. */
export interface ForwardFacts {
  readonly address: string;
  readonly host: string;
  readonly requestId: string;
  readonly traceparent: string;
  readonly sendCredential: boolean;
}

/** Names that a Connection header takes out of the message (RFC 9110 section 7.6.1); null when it names none beyond the usual. */
function named(connection: string | undefined): Set<string> | null {
  if (connection === undefined || connection === 'keep-alive' || connection === 'close') return null;
  return new Set(connection.split(',').map((name) => name.trim().toLowerCase()));
}

/** The header fields of the request to the upstream, as a flat list of names and values. */
export function headersUp(headers: IncomingHttpHeaders, facts: ForwardFacts): string[] {
  const out: string[] = [];
  const dropped = named(headers.connection);
  for (const name in headers) {
    if (NOT_UP.has(name) || (dropped !== null && dropped.has(name))) continue;
    if (name === 'authorization' && !facts.sendCredential) continue;
    const value = headers[name];
    if (typeof value === 'string') out.push(name, value);
    else if (value) for (const item of value) out.push(name, item);
  }
  const forwardedFor = facts.address.includes(':') ? `"[${facts.address}]"` : facts.address;
  out.push(
    'x-forwarded-for',
    facts.address,
    'x-forwarded-proto',
    'http',
    'x-forwarded-host',
    facts.host,
    // RFC 7239 section 4; a host with a port needs quotes.
    'forwarded',
    `for=${forwardedFor};host="${facts.host.replace(/["\\]/g, '')}";proto=http`,
    'x-request-id',
    facts.requestId,
    'traceparent',
    facts.traceparent,
  );
  return out;
}

/** The header fields of the upstream's answer that travel on, as a flat list, with those that the gateway adds. */
export function headersBack(headers: IncomingHttpHeaders, added: Readonly<Record<string, string>>): string[] {
  const out: string[] = [];
  const dropped = named(typeof headers.connection === 'string' ? headers.connection : undefined);
  for (const name in headers) {
    if (NOT_BACK.has(name) || (dropped !== null && dropped.has(name))) continue;
    // CORS answers come from the gateway's rule alone when it has one.
    if (added['vary'] !== undefined && name.startsWith('access-control-')) continue;
    if (name === 'x-request-id') continue;
    const value = headers[name];
    if (typeof value === 'string') out.push(name, value);
    else if (value) for (const item of value) out.push(name, item);
  }
  for (const name in added) out.push(name, added[name] as string);
  return out;
}
