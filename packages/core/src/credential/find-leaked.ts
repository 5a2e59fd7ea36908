import { KEY_PREFIX, keyForm } from './key-form.js';
import { readBasic } from './read-basic.js';

/** How much of a text is looked through: characters, and words in it that could be keys of another making. */
export const LEAK_BOUNDS = { characters: 4_000_000, words: 100_000 } as const;

/** What a text has in it that could be a credential of a client. Holds the credentials themselves: it is not to be kept. */
export interface LeakedTexts {
  /** Keys by form and checksum: made here, or made to look so by somebody who can compute a checksum. */
  readonly keys: readonly string[];
  /** Things that begin like such a key and are none. */
  readonly lookAlikes: number;
  /** Words that could be a key of another making: only their digests can tell. */
  readonly words: readonly string[];
  /** Names with their secrets (RFC 7617). */
  readonly basic: readonly { readonly name: string; readonly secret: string }[];
  /** Whether there were more words than are looked at. */
  readonly cut: boolean;
}

/** Every place where a key of ours begins: what follows up to the next character that none has. */
const OURS = new RegExp(`${KEY_PREFIX}[0-9A-Za-z]*`, 'g');
const WORD = /[\x21\x23-\x26\x28-\x2b\x2d-\x3b\x3d\x3f-\x7e]{20,512}/g;
/** What people wrap words in: quotes, brackets, a name and a sign in front. */
const INSIDE = /[A-Za-z0-9_\-.~+/=]{20,512}/g;
const BASIC = /basic[ \t]+([A-Za-z0-9+/]{4,2000}={0,2})/gi;

/** Finds what could be credentials in a text, such as a log or a difference. Looks at the form only. */
export function findLeaked(text: string): LeakedTexts {
  const looked = text.slice(0, LEAK_BOUNDS.characters);
  const keys = new Set<string>();
  let lookAlikes = 0;
  for (const [found] of looked.matchAll(OURS)) {
    if (keyForm(found) === 'key') keys.add(found);
    else lookAlikes++;
  }
  const words = new Set<string>();
  let cut = text.length > LEAK_BOUNDS.characters;
  for (const pattern of [WORD, INSIDE])
    for (const [word] of looked.matchAll(pattern)) {
      if (words.size >= LEAK_BOUNDS.words) cut = true;
      else if (!keys.has(word)) words.add(word);
      // A value often stands behind a name and a sign.
      const behind = word.slice(word.search(/[=:]/) + 1);
      if (behind.length >= 20 && behind !== word && words.size < LEAK_BOUNDS.words && !keys.has(behind)) words.add(behind);
    }
  const basic = new Map<string, { readonly name: string; readonly secret: string }>();
  for (const [, value = ''] of looked.matchAll(BASIC)) {
    const read = readBasic(value);
    if (!('reason' in read) && basic.size < LEAK_BOUNDS.words) basic.set(value, read);
  }
  return { keys: [...keys], lookAlikes, words: [...words], basic: [...basic.values()], cut };
}
