import { isRecord } from '../util/json-pointer.js';

/** Whether two JSON values are equal (JSON Schema Core 2020-12 section 4.2.2): order of members does not count, 1.0 is 1. */
export function sameValue(a: unknown, b: unknown): boolean {
  if (a === b) return true;
  if (Array.isArray(a)) return Array.isArray(b) && a.length === b.length && a.every((item, index) => sameValue(item, b[index]));
  if (!isRecord(a) || !isRecord(b)) return false;
  const names = Object.keys(a);
  return names.length === Object.keys(b).length && names.every((name) => Object.hasOwn(b, name) && sameValue(a[name], b[name]));
}

/** A text that equal values share and different ones do not. */
export function keyOf(value: unknown): string {
  if (Array.isArray(value)) return `[${value.map(keyOf).join(',')}]`;
  if (isRecord(value))
    return `{${Object.keys(value)
      .sort()
      .map((name) => `${JSON.stringify(name)}:${keyOf(value[name])}`)
      .join(',')}}`;
  return JSON.stringify(value);
}

/** Whether a list has no two equal items, in time that grows with its size alone. */
export function allDifferent(items: readonly unknown[]): boolean {
  const seen = new Set<unknown>();
  for (const item of items) {
    const key = typeof item === 'object' && item !== null ? `\u0000${keyOf(item)}` : item;
    if (seen.has(key)) return false;
    seen.add(key);
  }
  return true;
}

/** Whether a number is a multiple of another, by their decimal digits and not by binary division. */
export function isMultiple(value: number, of: number): boolean {
  if (Number.isSafeInteger(value) && Number.isSafeInteger(of)) return value % of === 0;
  const [a, b] = [decimal(value), decimal(of)];
  if (a === null || b === null) return false;
  const least = Math.min(a.exponent, b.exponent);
  return (a.digits * 10n ** BigInt(a.exponent - least)) % (b.digits * 10n ** BigInt(b.exponent - least)) === 0n;
}

function decimal(value: number): { readonly digits: bigint; readonly exponent: number } | null {
  const match = /^(-?\d+)(?:\.(\d+))?(?:e([+-]\d+))?$/.exec(String(value));
  if (!match) return null;
  const fraction = match[2] ?? '';
  return { digits: BigInt(`${match[1] ?? '0'}${fraction}`), exponent: Number(match[3] ?? 0) - fraction.length };
}

/** Characters of a text as Unicode counts them (JSON Schema Validation section 6.3: RFC 8259 characters). */
export function lengthOf(text: string): number {
  let length = text.length;
  for (let index = 0; index < text.length - 1; index++) {
    const unit = text.charCodeAt(index);
    if (unit < 0xd800 || unit > 0xdbff) continue;
    const next = text.charCodeAt(index + 1);
    if (next >= 0xdc00 && next <= 0xdfff) {
      length--;
      index++;
    }
  }
  return length;
}
