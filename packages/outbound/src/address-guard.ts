import { lookup as dnsLookup } from 'node:dns';
import { isIP } from 'node:net';
import ipaddr from 'ipaddr.js';

/** What an outgoing call may reach. */
export interface ReachPolicy {
  /** Lets plain http and loopback addresses through, and only those together. */
  readonly allowLoopbackHttp: boolean;
  /** Host names whose private addresses may be asked. */
  readonly privateHosts: readonly string[];
}

/** A call that was not made, or an answer that was not taken, and why in words. */
export class OutboundError extends Error {
  constructor(message: string) {
    super(message);
    this.name = 'OutboundError';
  }
}

/** Whether an address is loopback, IPv4-mapped forms included (RFC 4291 section 2.5.5.2). */
export function isLoopback(address: string): boolean {
  return ipaddr.isValid(address) && ipaddr.process(address).range() === 'loopback';
}

/** Whether an address belongs to the public Internet; private, link-local, shared and reserved ranges do not. */
export function isPublic(address: string): boolean {
  return ipaddr.isValid(address) && ipaddr.process(address).range() === 'unicast';
}

const isLoopbackName = (host: string): boolean => host === 'localhost' || host.endsWith('.localhost') || isLoopback(host);

/**
 * Refuses addresses by what can be seen of the URL alone: schemes other than https, plain http unless it is loopback
 * and allowed, credentials in the URL.
 * @throws OutboundError
 */
export function checkUrl(url: URL, policy: ReachPolicy): void {
  const host = url.hostname.replace(/^\[|\]$/g, '');
  if (url.username !== '' || url.password !== '') throw new OutboundError('the address has a user name or password in it');
  if (url.protocol === 'http:') {
    if (!isLoopbackName(host)) throw new OutboundError(`${url.origin} is plain http; https is needed unless the host is loopback`);
    if (!policy.allowLoopbackHttp) throw new OutboundError(`${url.origin} is plain http on loopback, which is not allowed for this provider`);
  } else if (url.protocol !== 'https:') throw new OutboundError(`${url.protocol} addresses are not fetched; https is needed`);
  if (isIP(host) !== 0) checkAddress(host, host, policy);
}

function checkAddress(host: string, address: string, policy: ReachPolicy): void {
  if (isPublic(address) || policy.privateHosts.includes(host)) return;
  if (isLoopback(address) && policy.allowLoopbackHttp && isLoopbackName(host)) return;
  throw new OutboundError(`${host} is at ${address}, which is not a public address; allow the host by name if that is meant`);
}

type LookupCallback = (error: Error | null, address: string | { address: string; family: number }[], family?: number) => void;

/** A look-up for sockets that checks every address of the name, so that a name cannot change between check and use. */
export function guardedLookup(policy: ReachPolicy) {
  return (host: string, options: { all?: boolean; family?: number | string }, callback: LookupCallback): void => {
    dnsLookup(host, { all: true, verbatim: true }, (error, found) => {
      if (error) return callback(error, []);
      try {
        for (const entry of found) checkAddress(host, entry.address, policy);
      } catch (refusal) {
        return callback(refusal as Error, []);
      }
      const first = found[0];
      if (options.all) callback(null, found);
      else if (first) callback(null, first.address, first.family);
      else callback(new OutboundError(`${host} has no address`), []);
    });
  };
}
