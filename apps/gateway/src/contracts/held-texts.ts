import type { PartTexts } from '@virga/core';

/** Texts by name in two buffers, which another thread takes over without copying. */
export interface PackedTexts {
  /** A name (UTF-16) and its text (UTF-8) after the other, by the order of the bytes of their names. */
  readonly bytes: Uint8Array<ArrayBuffer>;
  /** Where each name and each text begins in them, and where the last one ends: one more than twice their number. */
  readonly offsets: Uint32Array<ArrayBuffer>;
}

/** A name as bytes that no other name has: what is no text of Unicode would become the same in UTF-8. */
const nameBytes = (name: string): Buffer => Buffer.from(name, 'utf16le');

/** @throws RangeError where all of them are longer than 4 GB */
export function packTexts(texts: ReadonlyMap<string, string>): PackedTexts {
  const sorted = [...texts].map(([name, text]) => [nameBytes(name), text] as const).sort(([one], [other]) => Buffer.compare(one, other));
  const size = sorted.reduce((sum, [name, text]) => sum + name.length + Buffer.byteLength(text), 0);
  if (size > 0xffff_ffff) throw new RangeError('texts of more than 4 GB');
  const bytes = Buffer.allocUnsafeSlow(size);
  const offsets = new Uint32Array(2 * sorted.length + 1);
  let at = 0;
  for (const [index, [name, text]] of sorted.entries()) {
    offsets[2 * index] = at;
    at += name.copy(bytes, at);
    offsets[2 * index + 1] = at;
    at += bytes.write(text, at);
  }
  offsets[2 * sorted.length] = at;
  return { bytes, offsets };
}

/**
 * The texts of a contract, held as bytes outside of what the collector moves about, and searched where they lie: a contract of
 * thousands of parts is there at once, and only what is looked at becomes a text.
 */
export class HeldTexts implements PartTexts {
  readonly #bytes: Buffer;
  readonly #offsets: Uint32Array;

  constructor({ bytes, offsets }: PackedTexts) {
    this.#bytes = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    this.#offsets = offsets;
  }

  get(name: string): string | undefined {
    const wanted = nameBytes(name);
    let [low, high] = [0, (this.#offsets.length - 1) / 2];
    while (low < high) {
      const middle = (low + high) >> 1;
      const text = this.#offsets[2 * middle + 1];
      const order = wanted.compare(this.#bytes, this.#offsets[2 * middle], text);
      if (order === 0) return this.#bytes.toString('utf8', text, this.#offsets[2 * middle + 2]);
      if (order < 0) high = middle;
      else low = middle + 1;
    }
    return undefined;
  }
}
