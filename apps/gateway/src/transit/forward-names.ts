import { foldName } from '@virga/core';
import { CALLER_HEADER, PROBE_HEADER } from '@virga/protocol/node';

/** Hop-by-hop fields (RFC 9110 section 7.6.1); they end at the gateway in both directions. */
export const HOP_BY_HOP: ReadonlySet<string> = new Set([
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
]);

/**
 * Names that only the gateway may write, because some upstream believes them: who called, how and for what. What a
 * caller sends under them ends here, in whatever spelling. RFC 7239, RFC 9440; the rest is common practice.
 */
const RESERVED: ReadonlySet<string> = new Set([
  'expect',
  'host',
  'forwarded',
  'via',
  'traceparent',
  'x-request-id',
  PROBE_HEADER,
  CALLER_HEADER,
  // Addresses.
  'x-real-ip',
  'real-ip',
  'client-ip',
  'x-client-ip',
  'true-client-ip',
  'x-true-client-ip',
  'x-cluster-client-ip',
  'x-remote-ip',
  'x-remote-addr',
  'remote-addr',
  'x-originating-ip',
  'x-original-forwarded-for',
  // Hosts, schemes and ports.
  'x-host',
  'x-original-host',
  'x-scheme',
  'x-proto',
  'x-protocol',
  'x-url-scheme',
  'front-end-https',
  'x-https',
  // Another method or path than the request line has: the rule of one operation would apply to another.
  'x-http-method-override',
  'x-http-method',
  'x-method-override',
  'x-original-method',
  'x-original-url',
  'x-original-uri',
  'x-rewrite-url',
  'x-rewrite-uri',
  'x-script-name',
  'script-name',
  'path-info',
  // Callers.
  'remote-user',
  'x-remote-user',
  'x-remote-group',
  'x-remote-groups',
  'x-authenticated-user',
  'x-authenticated-userid',
  // Client certificates.
  'client-cert',
  'client-cert-chain',
  'x-client-cert',
  'x-client-certificate',
  'x-client-verify',
  'x-client-dn',
  'x-tls-client-cert',
]);
const RESERVED_FAMILIES = /^(?:x-forwarded|x-ssl|ssl-client|x-ssl-client|x-client-cert|client-cert)(?:-|$)/;

/** Whether a field, its name in lower case, is for the gateway alone to write. */
export function isReserved(name: string): boolean {
  const folded = foldName(name);
  return RESERVED.has(folded) || RESERVED_FAMILIES.test(folded) || (folded !== name && HOP_BY_HOP.has(folded));
}

const HOST = /^(?:[A-Za-z0-9](?:[A-Za-z0-9._-]{0,253})|\[[0-9A-Fa-f:.]{2,45}\])(?::\d{1,5})?$/;

/** Whether a Host value is a host with an optional port (RFC 9110 section 7.2), in the characters that names and addresses have. */
export const isHost = (value: string): boolean => HOST.test(value);
