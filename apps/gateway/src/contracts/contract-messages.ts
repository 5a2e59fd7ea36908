import type { SchemaNames } from '@virga/core';
import type { PackedTexts } from './held-texts.js';

/** What the thread that reads a contract is started with. */
export interface ContractThreadData {
  readonly controlUrl: string;
  readonly token: string;
  /** Where contracts are kept on disk, sealed; null where they are not. */
  readonly folder: string | null;
}

/** What it is asked for: one contract after the other. */
export interface ReadContractAsk {
  readonly hash: string;
}

/** What it says: the contract in its parts, and what holds for the whole. */
export type FromContractThread =
  | { readonly type: 'read'; readonly version: '3.0' | '3.1'; readonly names: SchemaNames; readonly parts: PackedTexts }
  | { readonly type: 'failed'; readonly says: string }
  /** It can be used, but was not kept. */
  | { readonly type: 'log'; readonly text: string };
