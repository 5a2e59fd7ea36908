import type { FeedMessage, NodeAnswer } from '@virga/protocol/node';
import type { DirectoryLine } from '../ports/asked-directory.js';
import type { Facts } from '../ports/known-facts.js';

/** What the control plane asks about a document that is not live. */
export type AboutDraft = Extract<FeedMessage, { type: 'probe' | 'examine' | 'try-authorizer' }>;

/** What the thread that tries drafts is started with. */
export interface DraftThreadData {
  readonly controlUrl: string;
  readonly token: string;
  readonly directory: DirectoryLine;
}

/** From the serving thread to the one that tries drafts. */
export type ToDrafts = { readonly type: 'facts'; readonly facts: Facts } | { readonly type: 'ask'; readonly ask: AboutDraft; readonly publicOrigin: string };

/** And back. */
export type FromDrafts = { readonly type: 'answer'; readonly answer: NodeAnswer } | { readonly type: 'log'; readonly text: string };
