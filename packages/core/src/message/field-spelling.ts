/** How header field names compare where an upstream makes variables of them, with case and every mark folded (RFC 3875 section 4.1.18, from memory). */
export const foldName = (name: string): string => (isPlain(name) ? name : name.toLowerCase().replace(/[^a-z0-9]/g, '-'));

/** By code: small letters, digits and the hyphen. Looked up and not matched, since all names of all requests are looked at. */
const PLAIN = new Uint8Array(128);
for (const character of 'abcdefghijklmnopqrstuvwxyz0123456789-') PLAIN[character.charCodeAt(0)] = 1;

function isPlain(name: string): boolean {
  for (let index = 0; index < name.length; index++) if (PLAIN[name.charCodeAt(index)] !== 1) return false;
  return true;
}

/**
 * A field that came and that some upstream takes for another one that is looked at, as `x_section` for `x-section`; null for none.
 * @param names of the fields that came, in small letters
 * @param asked those that are looked at, in small letters; null where that is not known, so that any that came could be meant
 */
export function otherSpelling(names: readonly string[], asked: readonly string[] | null): string | null {
  if (asked === null) return names.find((name) => !isPlain(name)) ?? null;
  for (const name of asked) for (const one of names) if (one !== name && isAlike(one, name)) return one;
  return null;
}

/** Whether two names, in small letters, are one where they are folded, which leaves each as long as it is. */
const isAlike = (one: string, other: string): boolean => one.length === other.length && foldName(one) === foldName(other);
