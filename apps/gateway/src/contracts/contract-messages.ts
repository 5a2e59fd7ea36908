import type { SchemaNames } from '@virga/core';
import type { TextBatch } from './held-texts.js';

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

/** What it says: the contract in parts, a few at a time, then what holds for the whole. */
export type FromContractThread =
  | { readonly type: 'parts'; readonly parts: TextBatch }
  | { readonly type: 'read'; readonly version: '3.0' | '3.1'; readonly names: SchemaNames }
  | { readonly type: 'failed'; readonly says: string }
  /** It can be used, but was not kept. */
  | { readonly type: 'log'; readonly text: string };
