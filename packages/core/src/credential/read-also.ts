import type { TokenPlace } from '../document/token-rule.js';
import { cookieNames, queryNames, takenFor } from '../message/alike-names.js';
import { otherSpelling } from '../message/field-spelling.js';
import { placeWords } from './find-place.js';

/** What came that could be taken for a place. */
interface Came {
  readonly headers: Readonly<Record<string, unknown>>;
  readonly query: string;
  header(name: string): string | undefined;
}

/** Says what of a request some readers take for a place of a credential, in words; null for nothing. */
export type ReadAlso = (came: Came) => string | null;

/**
 * Compiles who else could be meant: what stands there is not what the gateway proves, and whoever is behind it could believe that it did.
 * @returns null where no other name is taken for the place
 */
export function compileReadAlso(place: TokenPlace): ReadAlso | null {
  const { kind, name } = place;
  const said = (other: string | null): string | null => (other === null ? null : placeWords({ ...place, name: other.slice(0, 60) }));
  switch (kind) {
    case 'header':
      return /^[a-z0-9]*$/.test(name) ? null : ({ headers }) => said(otherSpelling(Object.keys(headers), [name]));
    case 'query':
      return ({ query }) => (query.length < 2 ? null : said(takenFor(queryNames(query.slice(1)), name)));
    case 'cookie':
      return (came) => {
        const header = came.header('cookie');
        return header === undefined ? null : said(takenFor(cookieNames(header), name));
      };
  }
}
