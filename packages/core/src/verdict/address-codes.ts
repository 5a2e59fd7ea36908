import { comparison, failing, list, meeting, notAsked } from './code-entry.js';

const via = (hops: readonly string[]): string => (hops.length === 0 ? '' : `, as ${list(hops)} said`);

/** From where a request comes. The same codes serve the gateway's own fence and the rule of an API or operation. */
export const ADDRESS_CODES = {
  'address.within': meeting<{ address: string; by: string; via: readonly string[] }>('address', {
    example: { address: '192.0.2.7', by: 'control room (192.0.2.0/24)', via: [] },
    sentence: (o) => `It comes from ${o.address}${via(o.via)}, which lies in ${o.by}.`,
    compare: (o) => [comparison('address', o.by, o.address)],
    standard: 'RFC 4632 section 3.1, RFC 4291 section 2.3',
  }),
  'address.not-known': notAsked<{ rule: string }>('address', {
    example: { rule: 'Only control room may call' },
    sentence: (o) => `It hangs on the address from where it comes: ${o.rule}.`,
    standard: 'RFC 4632 section 3.1, RFC 4291 section 2.3',
  }),
  'address.not-excepted': meeting<{ address: string; via: readonly string[] }>('address', {
    example: { address: '192.0.2.7', via: ['198.51.100.2'] },
    sentence: (o) => `It comes from ${o.address}${via(o.via)}, which is not among those that may not call.`,
    compare: (o) => [comparison('address', null, o.address)],
    standard: 'RFC 4632 section 3.1, RFC 4291 section 2.3',
  }),
  'address.outside': failing<{ address: string; allowed: readonly string[]; via: readonly string[] }>('address', 403, {
    title: 'Not from this address',
    example: { address: '203.0.113.9', allowed: ['control room', '2001:db8::/32'], via: [] },
    sentence: (o) => `It comes from ${o.address}${via(o.via)}; only ${list(o.allowed)} may call.`,
    compare: (o) => [comparison('address', list(o.allowed), o.address)],
    standard: 'RFC 9110 section 15.5.4',
    remedy:
      'If this caller is meant, add its network to the rule. If the address is that of a proxy of yours, name it as a trusted hop, so that the caller’s own counts.',
  }),
  'address.excepted': failing<{ address: string; by: string; via: readonly string[] }>('address', 403, {
    title: 'Not from this address',
    example: { address: '203.0.113.9', by: '203.0.113.0/24', via: [] },
    sentence: (o) => `It comes from ${o.address}${via(o.via)}, which lies in ${o.by}; from there nobody may call.`,
    compare: (o) => [comparison('address', `not in ${o.by}`, o.address)],
    standard: 'RFC 9110 section 15.5.4',
    remedy: 'Take the network out of the exceptions if callers there are meant.',
  }),
  'address.unknown': failing<{ unread: string; via: readonly string[] }>('address', 403, {
    title: 'Not from this address',
    example: { unread: 'unknown', via: ['198.51.100.2'] },
    sentence: (o) =>
      `Where it comes from is not known: ${o.unread} cannot be read as an address${via(o.via)}. A rule about addresses lets nobody in whose address it cannot know.`,
    compare: (o) => [comparison('address', 'an address', o.unread)],
    standard: 'RFC 7239 section 6',
    remedy: 'Let the trusted hop write the address of its caller, without hiding it, in the field that the gateway reads.',
  }),
} as const;
