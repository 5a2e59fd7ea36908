/** An address as a number. An IPv4-mapped IPv6 address is the IPv4 one (RFC 4291 section 2.5.5.2), so that it cannot slip past a rule about it. */
export interface Ip {
  readonly family: 4 | 6;
  readonly value: bigint;
}

/** A run of addresses of one family, ends included. */
export interface IpRange {
  readonly family: 4 | 6;
  readonly first: bigint;
  readonly last: bigint;
}

const BITS = { 4: 32, 6: 128 } as const;
const IPV4 = /^(0|[1-9]\d{0,2})\.(0|[1-9]\d{0,2})\.(0|[1-9]\d{0,2})\.(0|[1-9]\d{0,2})$/;
const GROUP = /^[0-9a-fA-F]{1,4}$/;

/**
 * Reads an address in its strict form: four decimal numbers without zeros in front, or RFC 4291 section 2.2 without a zone.
 * Null for everything else, octal, hexadecimal and shortened IPv4 included, which readers take for different addresses.
 */
export function readIp(text: string): Ip | null {
  if (text.length > 45) return null;
  const four = readIpv4(text);
  if (four !== null) return { family: 4, value: four };
  const value = readIpv6(text);
  if (value === null) return null;
  return value >> 32n === 0xffffn ? { family: 4, value: value & 0xffffffffn } : { family: 6, value };
}

function readIpv4(text: string): bigint | null {
  const match = IPV4.exec(text);
  if (!match) return null;
  let value = 0n;
  for (const part of match.slice(1)) {
    if (Number(part) > 255) return null;
    value = (value << 8n) | BigInt(part);
  }
  return value;
}

function readIpv6(text: string): bigint | null {
  const halves = text.split('::');
  if (halves.length > 2 || !text.includes(':')) return null;
  const [head, tail] = halves.map((half, index) => readGroups(half, index === halves.length - 1));
  if (head === undefined || head === null || tail === null) return null;
  if (tail === undefined) return head.length === 8 ? join(head) : null;
  // Two colons stand for at least one group of zeros.
  const gap = 8 - head.length - tail.length;
  return gap < 1 ? null : join([...head, ...Array<bigint>(gap).fill(0n), ...tail]);
}

/** Groups of one side of the double colon, an IPv4 address at the very end as two of them. */
function readGroups(text: string, ends: boolean): bigint[] | null {
  if (text === '') return [];
  const parts = text.split(':');
  const groups: bigint[] = [];
  for (const [index, part] of parts.entries()) {
    const four = ends && index === parts.length - 1 ? readIpv4(part) : null;
    if (four !== null) groups.push(four >> 16n, four & 0xffffn);
    else if (GROUP.test(part)) groups.push(BigInt(`0x${part}`));
    else return null;
  }
  return groups;
}

const join = (groups: readonly bigint[]): bigint | null => (groups.length === 8 ? groups.reduce((value, group) => (value << 16n) | group, 0n) : null);

/** An address in its one plain form: dotted decimal, or RFC 5952 section 4. */
export function writeIp({ family, value }: Ip): string {
  if (family === 4) return [24n, 16n, 8n, 0n].map((shift) => String((value >> shift) & 0xffn)).join('.');
  const groups = Array.from({ length: 8 }, (_, index) => ((value >> BigInt(112 - index * 16)) & 0xffffn).toString(16));
  let best = { at: -1, length: 1 };
  for (let at = 0; at < 8; at++) {
    let length = 0;
    while (groups[at + length] === '0') length++;
    // The longest run, the first of equal ones, never a single group.
    if (length > best.length) best = { at, length };
  }
  if (best.at < 0) return groups.join(':');
  return `${groups.slice(0, best.at).join(':')}::${groups.slice(best.at + best.length).join(':')}`;
}

/** What is wrong with an entry, in words, or the range that it names. */
export function readEntry(entry: string): IpRange | { readonly wrong: string } {
  const [address = '', bits, ...rest] = entry.split('/');
  const shown = entry.slice(0, 60);
  const ip = rest.length === 0 ? readIp(address) : null;
  if (ip === null) return { wrong: `${shown} is no address and no network: write 192.0.2.7, 192.0.2.0/24 or 2001:db8::/32` };
  const whole = BITS[ip.family];
  if (bits === undefined) return { family: ip.family, first: ip.value, last: ip.value };
  // A prefix of a mapped address counts from the IPv6 form that it was written in.
  const mapped = ip.family === 4 && address.includes(':') ? 96 : 0;
  const length = /^(0|[1-9]\d{0,2})$/.test(bits) ? Number(bits) - mapped : -1;
  if (length < 0 || length > whole) return { wrong: `${shown} has no prefix length from ${mapped} to ${whole + mapped} behind its slash` };
  const size = 1n << BigInt(whole - length);
  const first = (ip.value / size) * size;
  if (first !== ip.value)
    return { wrong: `${shown} names an address inside its network; the network is ${writeIp({ family: ip.family, value: first })}/${length}` };
  return { family: ip.family, first, last: first + size - 1n };
}

/** A range that came of an entry, as one plain text. */
export function writeRange({ family, first, last }: IpRange): string {
  const address = writeIp({ family, value: first });
  if (first === last) return address;
  return `${address}/${BITS[family] - ((last - first + 1n).toString(2).length - 1)}`;
}

/** All addresses of a family. */
export const wholeFamily = (family: 4 | 6): IpRange => ({ family, first: 0n, last: (1n << BigInt(BITS[family])) - 1n });
