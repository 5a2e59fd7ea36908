/** Lists of so many names are gone through; in longer ones a name that is not among the next few is looked up. */
const FEW = 32;
const NEXT = 8;

/**
 * Names in a fixed order, each once. Most objects have their members in the order of their schema, so looking begins where the next one
 * is likely to stand. A list is kept for every schema that values came to, and needs a fifth of what a set or map does.
 */
export class NameList {
  readonly names: readonly string[];
  #places: Map<string, number> | null = null;

  constructor(names: readonly string[]) {
    this.names = names;
  }

  has(name: string): boolean {
    return this.find(name, 0) >= 0;
  }

  /** The place of a name, counted from 0; -1 where it is none of these. @param from where it is likely to be */
  find(name: string, from: number): number {
    const { names } = this;
    if (names[from] === name) return from;
    if (names.length <= FEW) return names.indexOf(name);
    const near = Math.min(from + NEXT, names.length);
    for (let index = from + 1; index < near; index++) if (names[index] === name) return index;
    this.#places ??= new Map(names.map((one, index) => [one, index]));
    return this.#places.get(name) ?? -1;
  }
}

export const NO_NAMES = new NameList([]);
