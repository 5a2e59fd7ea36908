import type { CallerAddressRule, NetworkRule } from '../document/address-rule.js';
import { AddressSet, plainAddress } from './address-set.js';

/** Where a request came from, and how that was read. */
export interface CallerAddress {
  /** In its plain form; null where it cannot be known. */
  readonly address: string | null;
  /** Hops that were believed, the nearest first. */
  readonly via: readonly string[];
  /** What could not be read; empty where everything was. */
  readonly unread: string;
}

type Fields = Readonly<Record<string, string | readonly string[] | undefined>>;
export type FindCallerAddress = (peer: string, headers: Fields) => CallerAddress;

/** Hops that are followed at most. */
const MAX_HOPS = 30;
/** Characters of a `Forwarded` field, which is read from its beginning because of its quotes. */
const MAX_FORWARDED = 8192;
/** Addresses of connections that are remembered. */
const MAX_PEERS = 1000;

/**
 * Compiles how the address of a caller is found. The field is read from the right, because every hop writes behind what it
 * was sent: each address is believed only where a trusted hop wrote it, and the first that is no trusted hop is the
 * caller. An entry that is no address (`unknown`, `_hidden`: RFC 7239 section 6) leaves the caller unknown, never the hop.
 */
export function compileCallerAddress(rule: CallerAddressRule | null, networks: readonly NetworkRule[]): FindCallerAddress {
  const near = remembered();
  if (rule === null) return near;
  const hops = new AddressSet(rule.trustedHops, networks);
  const read = rule.header === 'forwarded' ? forwardedNodes : listedNodes;
  return (peer, headers) => {
    const { address: nearest } = near(peer);
    if (nearest === null || hops.find(nearest) === null) return near(peer);
    const field = headers[rule.header];
    if (field === undefined) return near(peer);
    const nodes = read(typeof field === 'string' ? field : field.join(', '));
    if (nodes === null) return { address: null, via: [nearest], unread: `${rule.header} is not written as its form says, or too long` };
    const via = [nearest];
    for (const node of nodes) {
      const address = nodeAddress(node);
      if (address === null) return { address: null, via, unread: node === '' ? 'an empty entry' : node.slice(0, 60) };
      if (hops.find(address) === null) return { address, via, unread: '' };
      via.push(address);
      if (via.length > MAX_HOPS) return { address: null, via: via.slice(0, MAX_HOPS), unread: `more than ${MAX_HOPS} hops` };
    }
    // Everybody on the way is a hop of ours: the farthest of them began it.
    return { address: via[via.length - 1] ?? null, via: via.slice(0, -1), unread: '' };
  };
}

/** Connections come from few addresses; what was read of one is kept. */
function remembered(): (peer: string) => CallerAddress {
  const known = new Map<string, CallerAddress>();
  return (peer) => {
    let read = known.get(peer);
    if (read === undefined) {
      // The platform writes the zone of a link-local address behind it (RFC 4007 section 11).
      const address = plainAddress(peer.replace(/^([\da-f:]+)%[\w.-]+$/i, '$1'));
      read = { address, via: [], unread: address === null ? 'the address of the connection' : '' };
      if (known.size < MAX_PEERS) known.set(peer, read);
    }
    return read;
  };
}

/** The entries of a list from its end, one at a time: what callers wrote in front is not even looked at. */
function* listedNodes(field: string): Generator<string> {
  for (let end = field.length; end >= 0;) {
    const comma = end === 0 ? -1 : field.lastIndexOf(',', end - 1);
    yield field.slice(comma + 1, end).trim();
    end = comma;
  }
}

/** The `for` of each element (RFC 7239 section 4) from the last to the first, empty where it has none; null where the field is not of that form. */
function forwardedNodes(field: string): string[] | null {
  if (field.length > MAX_FORWARDED) return null;
  const nodes: string[] = [];
  let node: string | null = null;
  // Sticky and without choices: every character is read once.
  const pair = /[\t ]*(?:([!#$%&'*+\-.^_`|~\w]+)=(?:"((?:[^"\\]|\\.)*)"|([!#$%&'*+\-.^_`|~\w:[\]]*)))?[\t ]*([;,]|$)/y;
  for (;;) {
    const at = pair.lastIndex;
    const match = pair.exec(field);
    if (match === null) return null;
    const [, name, quoted, plain, end] = match;
    if (name?.toLowerCase() === 'for') {
      if (node !== null) return null;
      node = quoted === undefined ? (plain ?? '') : quoted.replace(/\\(.)/g, '$1');
    }
    if (end !== ';') {
      nodes.push(node ?? '');
      node = null;
    }
    if (end === '' || pair.lastIndex === at) return nodes.reverse();
  }
}

/** The address of a node: with or without a port, IPv6 in brackets where it has one (RFC 7239 section 6). */
function nodeAddress(node: string): string | null {
  const bracketed = /^\[([^\]]*)\](?::[\w.-]{1,20})?$/.exec(node);
  if (bracketed) return plainAddress(bracketed[1] ?? '');
  const withPort = /^([\d.]+):[\w.-]{1,20}$/.exec(node);
  return plainAddress(withPort ? (withPort[1] ?? '') : node);
}
