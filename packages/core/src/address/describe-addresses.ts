import type { AddressRule, NetworkRule } from '../document/address-rule.js';
import { rangesOf, type NamedRange } from './address-set.js';
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
const meets = (one: IpRange, other: IpRange): boolean => one.family === other.family && one.first <= other.last && other.first <= one.last;

/** So many notes are made; a list with more mistakes is mended a few at a time. */
const MAX_NOTES = 50;

/**
 * What of a rule does nothing or too much: entries that stand twice or lie in another, that no caller gets to because of
 * the gateway's own fence, that take a whole family of addresses.
 * @param fence the rule that stands before it; null for the fence itself
 */
export function reviewAddresses(rule: AddressRule, networks: readonly NetworkRule[], fence: AddressRule | null): AddressNote[] {
  if (rule.kind === 'anywhere') return [];
  const entries = rule.of.map((entry) => ({ entry, ranges: rangesOf([entry], networks) }));
  const barrier = fence === null || fence.kind === 'anywhere' ? null : { kind: fence.kind, ranges: rangesOf(fence.of, networks) };
  const notes: AddressNote[] = [];
  const seen: { readonly range: NamedRange; readonly entry: string; readonly at: number }[] = entries.flatMap(({ entry, ranges }, at) =>
    ranges.map((range) => ({ range, entry, at })),
  );
  for (const [at, { entry, ranges }] of entries.entries()) {
    if (notes.length >= MAX_NOTES) break;
    const covering =
      ranges.length > 0 &&
      ranges.every((range) => seen.some((other) => other.at !== at && contains(other.range, range) && !(same(other.range, range) && other.at > at)));
    const by = covering ? seen.find((other) => other.at !== at && contains(other.range, ranges[0] as NamedRange)) : undefined;
    if (by)
      notes.push({
        entry,
        says: same(by.range, ranges[0] as NamedRange) && by.entry === entry ? 'stands twice' : `does nothing: it lies in ${by.range.label}`,
      });
    if (ranges.some((range) => contains(range, wholeFamily(4)))) notes.push({ entry, says: 'takes every IPv4 address' });
    if (ranges.some((range) => contains(range, wholeFamily(6)))) notes.push({ entry, says: 'takes every IPv6 address' });
    if (barrier && ranges.length > 0 && ranges.every((range) => !reaches(range, barrier)))
      notes.push({ entry, says: 'does nothing: the gateway’s own fence lets nobody in from there' });
  }
  return notes;
}

const same = (one: IpRange, other: IpRange): boolean => contains(one, other) && contains(other, one);

/** Whether anybody in a range gets through a fence. */
function reaches(range: IpRange, { kind, ranges }: { readonly kind: 'only' | 'except'; readonly ranges: readonly NamedRange[] }): boolean {
  return kind === 'only' ? ranges.some((one) => meets(one, range)) : !ranges.some((one) => contains(one, range));
}
