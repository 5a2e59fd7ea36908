import { isRecord } from '../../util/json-pointer.js';
import { withoutCase } from '../../message/alike-names.js';
import type { SchemaPlace, SchemaSet } from '../../schema/schema-set.js';
import { kindsOf, type Kinds } from './typed-value.js';

/** What schemas say of the members of one value. */
interface Below extends Pick<Kinds, 'members' | 'items' | 'others'> {
  /** Names of the members, without case. */
  readonly folded: ReadonlySet<string>;
}

/**
 * Looks for members that a schema does not name and that readers who know no case take for one that it does, as `Opening` for `opening`:
 * what the schema says of the one is not held against the other. Strict schemas refuse them anyway.
 */
export class AlikeMembers {
  readonly #set: SchemaSet;
  /** By the places of schemas: as many as a contract has. */
  readonly #known = new Map<string, Below>();

  constructor(set: SchemaSet) {
    this.#set = set;
  }

  /** The first such name, whatever deep; null for none. */
  find(value: unknown, places: readonly SchemaPlace[]): string | null {
    if (places.length === 0 || typeof value !== 'object' || value === null) return null;
    const below = this.#below(places);
    if (Array.isArray(value)) {
      for (const item of value as unknown[]) {
        const found = this.find(item, below.items);
        if (found !== null) return found;
      }
      return null;
    }
    if (!isRecord(value)) return null;
    for (const name of Object.keys(value)) {
      const own = below.members.get(name);
      if (own === undefined && below.folded.has(withoutCase(name))) return name;
      const found = this.find(value[name], own ?? below.others);
      if (found !== null) return found;
    }
    return null;
  }

  #below(places: readonly SchemaPlace[]): Below {
    const key = places.map(({ document, pointer }) => `${document}#${pointer}`).join(' ');
    let below = this.#known.get(key);
    if (!below) {
      const { members, items, others } = kindsOf(this.#set, places);
      this.#known.set(key, (below = { members, items, others, folded: new Set([...members.keys()].map(withoutCase)) }));
    }
    return below;
  }
}
