import type { TokenPlace } from '../document/token-rule.js';
import { finding, type Finding } from '../verdict/codes.js';
import { escaped, placeWords, readPlace, type RequestHead } from './find-place.js';

/** Characters of a key that are read. */
const MAX_KEY = 1024;

/** A key found in a request, or why what stood there is none; null when nothing stood there. */
export type FoundKey = string | Finding | null;

/** Compiles how a key is found in its place. An empty value counts as none; a header with a scheme is matched without case. */
export function compileFindKey(place: TokenPlace): (head: RequestHead) => FoundKey {
  const words = placeWords(place);
  const where = words.charAt(0).toUpperCase() + words.slice(1);
  const prefix = place.kind === 'header' && place.scheme !== null ? new RegExp(`^${escaped(place.scheme)} +`, 'i') : null;
  return (head) => {
    const value = readPlace(place, head);
    if (value === null || value === undefined || value === '') return null;
    if (prefix !== null && !prefix.test(value)) return null;
    const key = prefix === null ? value : value.replace(prefix, '');
    if (key.length > MAX_KEY) return finding('credential.malformed', { where, reason: `it is longer than ${MAX_KEY} characters` });
    if (/[\s,]/.test(key)) return finding('credential.malformed', { where, reason: 'it stands there twice, or has white space or a comma in it' });
    return key;
  };
}
