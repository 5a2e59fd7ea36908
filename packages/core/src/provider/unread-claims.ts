import { MAPPED_MEMBERS, type ClaimSource } from '../document/claim-map.js';
import type { ProviderRule } from '../document/provider-rule.js';
import type { FindUnread, UnreadClaim } from '../token/principal.js';
import { isRounded } from '../util/is-rounded.js';
import { compileFind, compilePath, MOST_VALUES, SEPARATORS } from './compile-claim-map.js';

const EXACT = 'a text, or a number that every reader takes alike: whole ones have at most 53 bits';
const FEW = `at most ${MOST_VALUES} values`;
const ONE = 'one text';

/**
 * Compiles the look for claims that say who is calling and cannot be read: numbers that were rounded, more values than are read, and a
 * subject or client that is several or none of them: what was switched off or revoked under one name would pass under the other. The
 * claim map must have compiled.
 */
export function compileFindUnread({ claimMap }: ProviderRule): FindUnread {
  const sources = [...MAPPED_MEMBERS.map((member) => claimMap[member]), ...claimMap.attributes];
  const reads = sources.flatMap(({ paths, split }) => paths.map((path) => ({ path, split, read: compilePath(path, '') })));
  const identities = [claimMap.subject, claimMap.client].map((source) => ({ name: source.paths.join(' or '), find: compileFind(source, '') }));
  return (claims): UnreadClaim | null => {
    for (const { path, split, read } of reads) {
      const value = read(claims);
      if (value === undefined) continue;
      if (isRounded(value) || (Array.isArray(value) && value.some(isRounded))) return { claim: path, wanted: EXACT };
      if (isMany(value, split)) return { claim: path, wanted: FEW };
    }
    for (const { name, find } of identities) {
      const value = find(claims);
      if (typeof value === 'object' && !(Array.isArray(value) && value.length <= 1)) return { claim: name, wanted: ONE };
    }
    return null;
  };
}

function isMany(value: unknown, split: ClaimSource['split']): boolean {
  if (Array.isArray(value)) return value.length > MOST_VALUES;
  const separator = SEPARATORS[split];
  return typeof value === 'string' && value.length > MOST_VALUES && separator !== null && value.split(separator, MOST_VALUES + 1).length > MOST_VALUES;
}
