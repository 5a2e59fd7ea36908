import type { PartTexts } from '@virga/core';

/** Texts that come over together: their bytes, and where each stands in them. */
export interface TextBatch {
  readonly bytes: Uint8Array<ArrayBuffer>;
  /** Names, each with where its text begins and ends, in bytes. */
  readonly places: readonly (readonly [name: string, from: number, to: number])[];
}

/** Texts by name, as bytes that another thread can take over without copying. */
export function batchOf(texts: readonly (readonly [name: string, text: string])[]): TextBatch {
  const bytes = Buffer.allocUnsafeSlow(texts.reduce((sum, [, text]) => sum + Buffer.byteLength(text), 0));
  let from = 0;
  const places = texts.map(([name, text]) => [name, from, (from += bytes.write(text, from))] as const);
  return { bytes, places };
}

/**
 * The texts of a contract, held as bytes outside of what the collector moves about: as texts of their own they would be copied
 * twice before they rest, each time while nobody is served.
 */
export class HeldTexts implements PartTexts {
  readonly #places = new Map<string, readonly [bytes: Buffer, from: number, to: number]>();

  add({ bytes, places }: TextBatch): void {
    const held = Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    for (const [name, from, to] of places) this.#places.set(name, [held, from, to]);
  }

  has(name: string): boolean {
    return this.#places.has(name);
  }

  get(name: string): string | undefined {
    const place = this.#places.get(name);
    return place?.[0].toString('utf8', place[1], place[2]);
  }
}
