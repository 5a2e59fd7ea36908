/** How header field names compare where an upstream makes variables of them, with case and every mark folded (RFC 3875 section 4.1.18, from memory). */
export const foldName = (name: string): string => (PLAIN.test(name) ? name : name.toLowerCase().replace(/[^a-z0-9]/g, '-'));

const PLAIN = /^[a-z0-9-]*$/;

/**
 * A field that came and that some upstream takes for another one that is looked at, as `x_section` for `x-section`; null for none.
 * @param names of the fields that came, in small letters
 * @param asked those that are looked at, in small letters; null where that is not known, so that any that came could be meant
 */
export function otherSpelling(names: readonly string[], asked: readonly string[] | null): string | null {
  const odd = names.find((name) => !PLAIN.test(name)) ?? null;
  if (asked === null || (odd === null && asked.every((name) => PLAIN.test(name)))) return odd;
  for (const name of asked) {
    const folded = foldName(name);
    const other = names.find((one) => one !== name && foldName(one) === folded);
    if (other !== undefined) return other;
  }
  return null;
}
