import type { CertificateHeaderRule } from '@virga/core';
import { createHash, X509Certificate } from 'node:crypto';
import type { IncomingMessage } from 'node:http';
import { BlockList, isIP } from 'node:net';
import { TLSSocket } from 'node:tls';

/** Finds the client certificate of a request: SHA-256 of its DER form, base64url (RFC 8705 section 3.1); null when there is none. */
export type FindCertificate = (req: IncomingMessage, address: string) => string | null;

/**
 * Compiles where client certificates come from. On the TLS listener the handshake has proved the key; a header is
 * believed only from the hops that are named, and never beside a certificate of the connection itself. Binding does not
 * ask who signed the certificate (RFC 8705 section 7.3).
 * @throws Error for a hop that is neither address nor network
 */
export function compileFindCertificate(rule: CertificateHeaderRule | null): FindCertificate {
  const hops = rule ? trustedHops(rule.trustedHops) : null;
  return (req, address) => {
    if (req.socket instanceof TLSSocket) {
      const { raw } = req.socket.getPeerCertificate() as { raw?: Buffer };
      if (raw) return thumbprint(raw);
    }
    if (!rule || !hops || !trusts(hops, address)) return null;
    const value = req.headers[rule.name];
    return typeof value === 'string' ? fromHeader(value) : null;
  };
}

/** Compiles which header with a certificate may travel on from an address: the one of the rule, from a hop that may write it. */
export function compileVouchedHeader(rule: CertificateHeaderRule | null): (address: string) => string | null {
  if (!rule) return () => null;
  const hops = trustedHops(rule.trustedHops);
  return (address) => (trusts(hops, address) ? rule.name : null);
}

/** Whether the hop that a request came from may pass certificates on. */
function trusts(hops: BlockList, address: string): boolean {
  const family = isIP(address);
  return family !== 0 && hops.check(address, family === 6 ? 'ipv6' : 'ipv4');
}

function trustedHops(entries: readonly string[]): BlockList {
  const hops = new BlockList();
  for (const entry of entries) {
    const [address = '', bits] = entry.split('/');
    const family = isIP(address) === 6 ? 'ipv6' : 'ipv4';
    if (isIP(address) === 0) throw new Error(`${entry} is no address and no network`);
    if (bits === undefined) hops.addAddress(address, family);
    else hops.addSubnet(address, Number(bits), family);
  }
  return hops;
}

const thumbprint = (der: Buffer): string => createHash('sha256').update(der).digest('base64url');

/** RFC 9440 section 2.1 writes `:base64:`; others write the PEM, URL-encoded (common practice). */
function fromHeader(value: string): string | null {
  try {
    const binary = /^:([A-Za-z0-9+/]+=*):$/.exec(value.trim())?.[1];
    const source = binary === undefined ? decodeURIComponent(value) : Buffer.from(binary, 'base64');
    return thumbprint(new X509Certificate(source).raw);
  } catch {
    return null;
  }
}
