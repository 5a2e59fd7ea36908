import type { NetworkRule } from '../document/address-rule.js';
import { readEntry, readIp, wholeFamily, writeIp, writeRange, type Ip, type IpRange } from './ip.js';

/** A range with how it is called: as it stands in its rule, with the name of its network where it has one. */
export interface NamedRange extends IpRange {
  readonly label: string;
}

/** The ranges that entries name, in order. Entries that name nothing are left out: they were refused before. */
export function rangesOf(entries: readonly string[], networks: readonly NetworkRule[]): NamedRange[] {
  return entries.flatMap((entry): NamedRange[] => {
    const network = networks.find(({ name }) => name === entry);
    const inside = network ? network.entries : [entry];
    return inside.flatMap((text) => {
      const range = readEntry(text);
      if ('wrong' in range) return [];
      const written = writeRange(range);
      return [{ ...range, label: network ? `${network.name} (${written})` : written }];
    });
  });
}

/** So many answers are remembered. Callers choose how many addresses there are. */
const REMEMBERED = 1000;

/** Addresses that are compared with one that calls. */
export class AddressSet {
  readonly #ranges: Readonly<Record<4 | 6, readonly NamedRange[]>>;
  readonly #known = new Map<string, string | null>();

  constructor(entries: readonly string[], networks: readonly NetworkRule[]) {
    const ranges = rangesOf(entries, networks);
    this.#ranges = { 4: outermost(ranges, 4), 6: outermost(ranges, 6) };
  }

  /** How the range is called that an address lies in; null where it lies in none. @param address in its plain form */
  find(address: string): string | null {
    let label = this.#known.get(address);
    if (label === undefined) {
      const ip = readIp(address);
      label = ip === null ? null : (this.#search(ip)?.label ?? null);
      if (this.#known.size < REMEMBERED) this.#known.set(address, label);
    }
    return label;
  }

  #search({ family, value }: Ip): NamedRange | null {
    const range = this.#upTo(family, value);
    return range !== null && range.last >= value ? range : null;
  }

  /** Whether any address of a range lies in the set. */
  meets({ family, first, last }: IpRange): boolean {
    const range = this.#upTo(family, last);
    return range !== null && range.last >= first;
  }

  /** Whether every address of a range lies in one range of the set. */
  contains({ family, first, last }: IpRange): boolean {
    const range = this.#upTo(family, first);
    return range !== null && range.last >= last;
  }

  /** Families of which every address lies in the set, in one range or in several together. */
  whole(): (4 | 6)[] {
    return ([4, 6] as const).filter((family) => {
      let next = 0n;
      for (const { first, last } of this.#ranges[family]) {
        if (first > next) return false;
        next = last + 1n;
      }
      return next > wholeFamily(family).last;
    });
  }

  /** The last range that begins at a value or before it. */
  #upTo(family: 4 | 6, value: bigint): NamedRange | null {
    const ranges = this.#ranges[family];
    let [low, high] = [0, ranges.length];
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((ranges[middle] as NamedRange).first <= value) low = middle + 1;
      else high = middle;
    }
    return ranges[low - 1] ?? null;
  }
}

/** By their first address; of those that begin together the widest first. */
export function outerFirst(a: IpRange, b: IpRange): number {
  if (a.first !== b.first) return a.first < b.first ? -1 : 1;
  if (a.last !== b.last) return a.last > b.last ? -1 : 1;
  return 0;
}

/** Networks nest or are apart, never half of each: those that lie in no other, by their first address. */
function outermost(ranges: readonly NamedRange[], family: 4 | 6): NamedRange[] {
  const own = ranges.filter((range) => range.family === family);
  own.sort(outerFirst);
  const out: NamedRange[] = [];
  for (const range of own) {
    const before = out[out.length - 1];
    if (before === undefined || range.last > before.last) out.push(range);
  }
  return out;
}

/** An address in its one plain form; null where it is none. */
export function plainAddress(text: string): string | null {
  const ip = readIp(text);
  return ip && writeIp(ip);
}
