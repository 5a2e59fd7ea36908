import { KEY_PREFIX, keyForm } from './key-form.js';

/** Characters of a key that is brought along, and the least of what its characters tell, in bits. */
export const BROUGHT_KEY = { least: 20, most: 512, bits: 80 } as const;

/**
 * What is wrong with a key that was made elsewhere, in words; null when it is strong enough. How it was made nobody can
 * see; what is judged is what a guesser would: its length, how many characters it uses and how evenly, rows and repetitions.
 */
export function faultOfBroughtKey(key: string): string | null {
  if (!/^[\x21-\x7e]*$/.test(key) || key.includes(',')) return 'A key is written in ASCII, without blanks and commas';
  if (key.length < BROUGHT_KEY.least) return `A key has at least ${BROUGHT_KEY.least} characters; this has ${key.length}`;
  if (key.length > BROUGHT_KEY.most) return `A key has at most ${BROUGHT_KEY.most} characters; this has ${key.length}`;
  if (key.startsWith(KEY_PREFIX) && keyForm(key) === 'damaged') return 'It begins like a key that was made here, but was cut off, lengthened or mistyped';
  if ((key + key).indexOf(key, 1) < key.length) return 'It repeats a part of itself, so that it is as easy to guess as that part';
  if (rows(key) * 2 > key.length) return 'It is a row of neighbouring characters, which is guessed soon';
  const bits = Math.floor(evenness(key) * key.length);
  return bits < BROUGHT_KEY.bits ? `Its characters tell ${bits} bits at most; a key has at least ${BROUGHT_KEY.bits}. Make one by chance` : null;
}

/** Characters that are like the one before or next to it. */
function rows(key: string): number {
  let found = 0;
  for (let index = 1; index < key.length; index++) if (Math.abs(key.charCodeAt(index) - key.charCodeAt(index - 1)) <= 1) found++;
  return found;
}

/** Bits for each character by how often each stands in the key (Shannon's entropy). */
function evenness(key: string): number {
  const counts = new Map<string, number>();
  for (const character of key) counts.set(character, (counts.get(character) ?? 0) + 1);
  return [...counts.values()].reduce((sum, count) => sum - (count / key.length) * Math.log2(count / key.length), 0);
}
