import type { AddressRule, NetworkRule } from '../document/address-rule.js';
import { AddressSet, outerFirst, rangesOf, type NamedRange } from './address-set.js';
import { wholeFamily, type IpRange } from './ip.js';

const SHOWN = 6;
const words = (of: readonly string[]): string =>
  of.length > SHOWN
    ? `${of.slice(0, SHOWN).join(', ')} and ${of.length - SHOWN} more`
    : of.length > 1
      ? `${of.slice(0, -1).join(', ')} and ${of[of.length - 1] ?? ''}`
      : (of[0] ?? 'nobody');

/** A rule about addresses as one plain sentence. */
export function describeAddresses(rule: AddressRule): string {
  switch (rule.kind) {
    case 'anywhere':
      return 'Everyone may call, from any address';
    case 'only':
      return `Only ${words(rule.of)} may call`;
    case 'except':
      return `Everyone may call, except ${words(rule.of)}`;
  }
}

/** Something about an entry that its author may not have meant. */
export interface AddressNote {
  readonly entry: string;
  readonly says: string;
}

const contains = (outer: IpRange, inner: IpRange): boolean => outer.family === inner.family && outer.first <= inner.first && outer.last >= inner.last;

/** So many notes are made; a list with more mistakes is mended a few at a time. */
const MAX_NOTES = 50;

/**
 * What of a rule does nothing or too much: entries that stand twice or lie in another, that no caller gets to because of
 * the gateway's own fence, that take a whole family of addresses.
 * @param fence the rule that stands before it; null for the fence itself
 */
export function reviewAddresses(rule: AddressRule, networks: readonly NetworkRule[], fence: AddressRule | null): AddressNote[] {
  if (rule.kind === 'anywhere') return [];
  const entries = rule.of.map((entry, at): PlacedRange[] => rangesOf([entry], networks).map((range) => ({ ...range, entry, at })));
  const covers = coveredBy(entries.flat());
  const barrier = fence === null || fence.kind === 'anywhere' ? null : { kind: fence.kind, set: new AddressSet(fence.of, networks) };
  const notes: AddressNote[] = [];
  for (const ranges of entries) {
    const [first] = ranges;
    if (notes.length >= MAX_NOTES) break;
    if (first === undefined) continue;
    const { entry } = first;
    const by = ranges.every((range) => covers.has(range)) ? covers.get(first) : undefined;
    if (by) notes.push({ entry, says: by.entry === entry ? 'stands twice' : `does nothing: it lies in ${by.label}` });
    for (const family of [4, 6] as const)
      if (ranges.some((range) => contains(range, wholeFamily(family)))) notes.push({ entry, says: `takes every IPv${family} address` });
    if (barrier && ranges.every((range) => (barrier.kind === 'only' ? !barrier.set.meets(range) : barrier.set.contains(range))))
      notes.push({ entry, says: 'does nothing: the gateway’s own fence lets nobody in from there' });
  }
  for (const family of new AddressSet(rule.of, networks).whole()) {
    const own = entries.flat().filter((range) => range.family === family);
    if (!own.some((range) => contains(range, wholeFamily(family))))
      notes.push({
        entry: own
          .map(({ label }) => label)
          .slice(0, 3)
          .join(', '),
        says: `${own.length > 3 ? 'and others take' : 'take'} every IPv${family} address together`,
      });
  }
  return notes.slice(0, MAX_NOTES);
}

/** A range with the entry that it came of and where that stands. */
interface PlacedRange extends NamedRange {
  readonly entry: string;
  readonly at: number;
}

/** For each range that lies in one of another entry, that one; of two that are the same, the second lies in the first. */
function coveredBy(ranges: readonly PlacedRange[]): ReadonlyMap<PlacedRange, PlacedRange> {
  const covers = new Map<PlacedRange, PlacedRange>();
  for (const family of [4, 6] as const) {
    const own = ranges.filter((range) => range.family === family).sort((a, b) => outerFirst(a, b) || a.at - b.at);
    // Networks nest or are apart: those that are open where one begins are those that it lies in.
    const open: PlacedRange[] = [];
    for (const range of own) {
      while (open.length > 0 && (open[open.length - 1] as PlacedRange).last < range.first) open.pop();
      const outer = open.find(({ at }) => at !== range.at);
      if (outer) covers.set(range, outer);
      open.push(range);
    }
  }
  return covers;
}
