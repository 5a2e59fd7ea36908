import { withoutCase } from '../../message/alike-names.js';
import type { SchemaPlace, SchemaSet } from '../../schema/schema-set.js';
import { kindsOf, type MemberPlaces } from './typed-value.js';

/** What schemas say of the members of one value. Made once for the places of its schemas, so that values are followed without looking anything up twice. */
interface Described {
  readonly members: MemberPlaces;
  /** Those that values came of. */
  readonly met: Map<string, Later>;
  /** Names of the members, without case; null until the first value comes with a name that is none of them. */
  folded: ReadonlySet<string> | null;
  readonly items: Later;
  readonly others: Later;
  /** Members in the order in which they came last: most values have them in the same. */
  readonly order: { readonly names: string[]; readonly below: Later[] };
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
  readonly #known = new Map<string, Later>();

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
    const { names, below } = described.order;
    let index = 0;
    // What was read has no members but its own.
    for (const name in value) {
      let own = names[index] === name ? below[index] : this.#member(described, name);
      if (own === undefined) {
        described.folded ??= new Set([...described.members.names()].map(withoutCase));
        if (described.folded.has(withoutCase(name))) return name;
        own = described.others;
      } else if (names[index] !== name && index < described.members.size) {
        names[index] = name;
        below[index] = own;
      }
      index++;
      const member = (value as Record<string, unknown>)[name];
      if (typeof member !== 'object' || member === null) continue;
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
      met: new Map(),
      folded: null,
      items: this.#later(items),
      others: this.#later(others),
      order: { names: [], below: [] },
    });
  }

  #member({ members, met }: Described, name: string): Later | undefined {
    const known = met.get(name);
    const places = known === undefined ? members.get(name) : undefined;
    if (places === undefined) return known;
    const later = this.#later(places);
    met.set(name, later);
    return later;
  }

  #later(places: readonly SchemaPlace[]): Later {
    const key = places.map(({ document, pointer }) => `${document}#${pointer}`).join(' ');
    let later = this.#known.get(key);
    if (!later) this.#known.set(key, (later = { places, described: undefined }));
    return later;
  }
}
