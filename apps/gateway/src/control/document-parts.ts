import { ConfigError, joinDocument, MAX_PARTS, partsNamed, type CarriedDocument, type OperationRule } from '@virga/core';
import { hash } from 'node:crypto';
import { setImmediate } from 'node:timers/promises';

interface Part {
  readonly text: string;
  readonly operations: readonly OperationRule[];
}

/** A document, whole, and the texts of its parts by hash. */
export interface WholeDocument {
  readonly document: unknown;
  readonly parts: ReadonlyMap<string, string>;
}

/**
 * Puts documents together from what the control plane sent and from parts that are here already. Those of the last few
 * documents are kept.
 */
export class DocumentParts {
  readonly #ask: (hashes: readonly string[]) => AsyncIterable<string>;
  readonly #keep: number;
  #held = new Map<string, Part>();
  #named: (readonly string[])[] = [];

  /**
   * @param ask asks for parts, one text for each hash in order
   * @param keep documents whose parts are kept
   */
  constructor(ask: (hashes: readonly string[]) => AsyncIterable<string>, keep: number) {
    this.#ask = ask;
    this.#keep = keep;
  }

  /** Parts that are held. */
  get size(): number {
    return this.#held.size;
  }

  /** @throws ConfigError when a part is not to be had or is not what it was asked for; Error when nobody could be asked */
  async join(carried: CarriedDocument): Promise<WholeDocument> {
    const names = partsNamed(carried);
    if (names.length > MAX_PARTS) throw new ConfigError('/apis', `the document has more than ${MAX_PARTS} parts`);
    const found = new Map<string, Part>();
    for (const name of names) {
      const part = this.#held.get(name);
      if (part) found.set(name, part);
    }
    const missing = names.filter((name) => !found.has(name));
    if (missing.length > 0) await this.#fetch(missing, found);
    this.#remember(names, found);
    const document = joinDocument(carried, (name) => found.get(name)?.operations);
    return { document, parts: new Map([...found].map(([name, { text }]) => [name, text])) };
  }

  async #fetch(missing: readonly string[], found: Map<string, Part>): Promise<void> {
    let at = 0;
    for await (const text of this.#ask(missing)) {
      const name = missing[at++];
      if (name === undefined) break;
      found.set(name, readPart(name, text));
      // Each in a turn of its own: whoever is served meanwhile waits for one of them at most.
      await setImmediate();
    }
    if (at < missing.length) throw new ConfigError('/apis', 'a part of the document did not come');
  }

  #remember(names: readonly string[], found: ReadonlyMap<string, Part>): void {
    for (const [name, part] of found) this.#held.set(name, part);
    this.#named = [...this.#named, names].slice(-this.#keep);
    const wanted = new Set(this.#named.flat());
    for (const name of this.#held.keys()) if (!wanted.has(name)) this.#held.delete(name);
  }
}

/** @throws ConfigError when the text is not the one with this hash, or no list */
function readPart(name: string, text: string): Part {
  if (hash('sha256', text, 'base64url') !== name) throw new ConfigError('/apis', 'a part of the document is not the one that was asked for');
  const operations: unknown = JSON.parse(text);
  if (!Array.isArray(operations)) throw new ConfigError('/apis', 'a part of the document is no list of operations');
  return { text, operations: operations as OperationRule[] };
}
