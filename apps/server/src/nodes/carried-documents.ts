import { splitDocument, type CarriedDocument, type ReleaseDocument, type SplitDocument } from '@virga/core';
import { hash as hashOf } from 'node:crypto';

/** Documents whose parts can be asked for at one time, beside the live one. */
const MAX_HELD = 8;

/** Documents as they are sent to nodes, and their parts for nodes that do not have them. */
export class CarriedDocuments {
  readonly #held = new Map<string, SplitDocument>();
  #live: { readonly hash: string; readonly split: SplitDocument } | null = null;

  /** A document that is tried; the one asked for longest ago goes first. */
  carry(hash: string, document: ReleaseDocument): CarriedDocument {
    const split = this.#held.get(hash) ?? (this.#live?.hash === hash ? this.#live.split : makeSplit(document));
    this.#held.delete(hash);
    this.#held.set(hash, split);
    for (const oldest of this.#held.keys()) {
      if (this.#held.size <= MAX_HELD) break;
      this.#held.delete(oldest);
    }
    return split.carried;
  }

  /** The live document, whose parts can be asked for as long as it is. */
  carryLive(hash: string, document: ReleaseDocument): CarriedDocument {
    if (this.#live?.hash !== hash) this.#live = { hash, split: this.#held.get(hash) ?? makeSplit(document) };
    return this.#live.split.carried;
  }

  /** The JSON text of a part; null when nobody knows it. */
  part(hash: string): string | null {
    for (const { parts } of [...(this.#live ? [this.#live.split] : []), ...this.#held.values()]) {
      const text = parts.get(hash);
      if (text !== undefined) return text;
    }
    return null;
  }
}

const makeSplit = (document: ReleaseDocument): SplitDocument => splitDocument(document, (text) => hashOf('sha256', text, 'base64url'));
