import type { Acceptance, ContractPart, Deviation } from '@virga/core';

/** What is asked about the text of a description. */
export type ContractQuestion =
  | { readonly kind: 'place'; readonly text: string; readonly pointer: string }
  | { readonly kind: 'accept'; readonly text: string; readonly format: 'json' | 'yaml'; readonly part: ContractPart; readonly deviation: Deviation };

/** A description in a newer form; null with the reason where it could not be made. */
export interface UpgradeAnswer {
  readonly text: string | null;
  readonly says: string;
}

/** Where something stands. */
export interface PlaceAnswer {
  readonly line: number | null;
  readonly value: string | null;
}

/** How a deviation would be accepted; null where that cannot be told. */
export type AcceptAnswer = (Pick<Acceptance, 'says'> & { readonly after: string }) | null;
