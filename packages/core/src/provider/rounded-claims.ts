import { MAPPED_MEMBERS } from '../document/claim-map.js';
import type { ProviderRule } from '../document/provider-rule.js';
import type { FindRounded } from '../token/principal.js';
import { isRounded } from '../util/is-rounded.js';
import { compilePath } from './compile-claim-map.js';

/** Compiles the look for numbers that were rounded in claims which say who is calling. The claim map must have compiled. */
export function compileFindRounded({ claimMap }: ProviderRule): FindRounded {
  const sources = [...MAPPED_MEMBERS.map((member) => claimMap[member]), ...claimMap.attributes];
  const paths = [...new Set(sources.flatMap((source) => source.paths))].map((path) => [path, compilePath(path, '')] as const);
  return (claims) => {
    for (const [path, read] of paths) {
      const value = read(claims);
      if (isRounded(value) || (Array.isArray(value) && value.some(isRounded))) return path;
    }
    return null;
  };
}
