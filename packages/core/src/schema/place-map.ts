import type { SchemaPlace } from './schema-set.js';

/** What is known of schemas by where they stand. Their pointers are the keys as they are, so that no text is kept for looking up. */
export class PlaceMap<T> {
  readonly #byDocument = new Map<string, Map<string, T>>();

  get({ document, pointer }: SchemaPlace): T | undefined {
    return this.#byDocument.get(document)?.get(pointer);
  }

  set({ document, pointer }: SchemaPlace, value: T): void {
    let own = this.#byDocument.get(document);
    if (!own) this.#byDocument.set(document, (own = new Map<string, T>()));
    own.set(pointer, value);
  }
}

/** The same for several schemas that describe one value, in their order. */
export class PlaceListMap<T> {
  readonly #ofOne = new PlaceMap<T>();
  /** Of several by the very list first: putting their key together takes longer than most that is asked of it. */
  readonly #byList = new WeakMap<readonly SchemaPlace[], T>();
  readonly #ofMany = new Map<string, T>();

  get(places: readonly SchemaPlace[]): T | undefined {
    const [one, more] = places;
    if (one && !more) return this.#ofOne.get(one);
    const near = this.#byList.get(places);
    if (near !== undefined) return near;
    const known = this.#ofMany.get(keyOf(places));
    if (known !== undefined) this.#byList.set(places, known);
    return known;
  }

  set(places: readonly SchemaPlace[], value: T): void {
    const [one, more] = places;
    if (one && !more) this.#ofOne.set(one, value);
    else this.#ofMany.set(keyOf(places), value);
  }
}

const keyOf = (places: readonly SchemaPlace[]): string => JSON.stringify(places.map(({ document, pointer }) => [document, pointer]));
