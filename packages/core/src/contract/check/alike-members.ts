import { withoutCase } from '../../message/alike-names.js';
import type { NameList } from '../../schema/name-list.js';
import { PlaceListMap } from '../../schema/place-map.js';
import type { SchemaPlace, SchemaSet } from '../../schema/schema-set.js';
import { kindsOf, type MemberPlaces } from './typed-value.js';

/** What schemas say of the members of one value. Made once for the places of its schemas, so that values are followed without looking anything up twice. */
interface Described {
  readonly members: MemberPlaces;
  readonly named: NameList;
  /** Of those that values came of, in the order of the names. */
  readonly below: (Later | undefined)[];
  /** Names of the members, without case; null until the first value comes with a name that is none of them. */
  folded: ReadonlySet<string> | null;
  readonly items: Later;
  readonly others: Later;
}

/** Schemas by their places, read when the first value comes that they describe. */
interface Later {
  readonly places: readonly SchemaPlace[];
  /** Null where they say nothing of members; undefined until they are read. */
  described: Described | null | undefined;
}

/**
 * Looks for members that a schema does not name and that readers who know no case take for one that it does, as `Opening` for `opening`:
 * what the schema says of the one is not held against the other. Strict schemas refuse them anyway.
 */
export class AlikeMembers {
  readonly #set: SchemaSet;
  /** By the places of schemas: as many as a contract has. */
  readonly #known = new PlaceListMap<Later>();

  constructor(set: SchemaSet) {
    this.#set = set;
  }

  /** What finds the first such name in values of a schema, whatever deep; it gives null for none. */
  in(place: SchemaPlace): (value: unknown) => string | null {
    const root = this.#later([place]);
    return (value) => this.#find(value, root);
  }

  #find(value: unknown, later: Later): string | null {
    if (typeof value !== 'object' || value === null) return null;
    const described = later.described === undefined ? this.#describe(later) : later.described;
    if (described === null) return null;
    if (Array.isArray(value)) {
      for (const item of value as unknown[]) {
        const found = this.#find(item, described.items);
        if (found !== null) return found;
      }
      return null;
    }
    const { named, below } = described;
    let next = 0;
    // What was read has no members but its own.
    for (const name in value) {
      const place = named.find(name, next);
      if (place >= 0) next = place + 1;
      else {
        described.folded ??= new Set(named.names.map(withoutCase));
        if (described.folded.has(withoutCase(name))) return name;
      }
      const member = (value as Record<string, unknown>)[name];
      if (typeof member !== 'object' || member === null) continue;
      const own = place < 0 ? described.others : (below[place] ??= this.#later(described.members.get(name) ?? []));
      const found = this.#find(member, own);
      if (found !== null) return found;
    }
    return null;
  }

  #describe(later: Later): Described | null {
    const { members, items, others } = kindsOf(this.#set, later.places);
    const nothing = members.size === 0 && items.length === 0 && others.length === 0;
    if (nothing) return (later.described = null);
    return (later.described = {
      members,
      named: members.list(),
      below: [],
      folded: null,
      items: this.#later(items),
      others: this.#later(others),
    });
  }

  #later(places: readonly SchemaPlace[]): Later {
    let later = this.#known.get(places);
    if (!later) this.#known.set(places, (later = { places, described: undefined }));
    return later;
  }
}
