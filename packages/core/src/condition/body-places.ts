import { ANY_ITEM, type BodyMember } from '../contract/body-members.js';

/** What a contract says at one place of a body, and within it, by the names that lead there. */
export interface BodyPlace {
  readonly within: Map<string, BodyPlace>;
  said: BodyMember | null;
}

export const ANY_NAME = '*';
/** A place of which nothing is said. */
export const NOWHERE: BodyPlace = Object.freeze({ within: new Map<string, BodyPlace>(), said: null });

/** Members as a tree: the whole is its root. */
export function bodyPlaces(members: readonly BodyMember[]): BodyPlace {
  const root: BodyPlace = { within: new Map(), said: null };
  for (const member of members) {
    let place = root;
    for (const name of member.path) {
      let next = place.within.get(name);
      if (!next) place.within.set(name, (next = { within: new Map(), said: null }));
      place = next;
    }
    place.said = member;
  }
  return root;
}

/** The word for a type, without its format. */
export const plainWord = (words: string): string => words.replace(/ \([^()]*\)$/, '');

/** A body to begin with: every member that a contract names, one item in every list. Undefined where nothing is said of its type. */
export function sampleBody(members: readonly BodyMember[]): unknown {
  const root = bodyPlaces(members);
  return sampleAt(root, root.said?.type ?? 'object');
}

/** @param words the type as the page of the contract has it; of several the first */
function sampleAt({ within, said }: BodyPlace, words: string): unknown {
  const [first] = said?.values ?? [];
  if (first !== undefined) return JSON.parse(first);
  const word = plainWord(words.split(' or ')[0] ?? '');
  if (word.startsWith('list of ') || word === 'array') {
    const item = within.get(ANY_ITEM) ?? NOWHERE;
    const value = sampleAt(item, item.said?.type ?? word.slice('list of '.length));
    return value === undefined ? [] : [value];
  }
  switch (word) {
    case 'string':
      return '';
    case 'number':
    case 'integer':
      return 1;
    case 'boolean':
      return true;
    case 'null':
      return null;
    case 'object':
      return Object.fromEntries(
        [...within].flatMap(([name, place]) => {
          const value = name === ANY_NAME || !place.said ? undefined : sampleAt(place, place.said.type);
          return value === undefined ? [] : [[name, value]];
        }),
      );
    default:
      return undefined;
  }
}
