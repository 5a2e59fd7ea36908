// The thread that tries drafts. Nothing that happens here keeps a live request waiting.
import { FreshCounters, LocalReplayMemory, TokenCache } from '@virga/core';
import { askBySource, Introspector, ProviderKeys } from '@virga/outbound';
import type { NodeAnswer } from '@virga/protocol/node';
import { performance } from 'node:perf_hooks';
import { parentPort, workerData } from 'node:worker_threads';
import { askParts } from '../control/ask-parts.js';
import { NodeAuthorizers } from '../authorizers/node-authorizers.js';
import { NodeContracts } from '../contracts/node-contracts.js';
import { DocumentParts } from '../control/document-parts.js';
import { AskedDirectory } from '../ports/asked-directory.js';
import { KnownFacts } from '../ports/known-facts.js';
import { Nonces } from '../ports/nonces.js';
import { nodePorts } from '../ports/node-ports.js';
import { UpstreamPools } from '../upstream/pools.js';
import type { AboutDraft, DraftThreadData, FromDrafts, ToDrafts } from './draft-messages.js';
import { Drafts, MAX_DRAFTS } from './drafts.js';
import { runExamine } from './run-examine.js';
import { runProbe } from './run-probe.js';
import { tryAuthorizer } from './try-authorizer.js';

const TICK_MS = 250;
const KEYS_TICK_MS = 1000;
/** Verified tokens that are kept for drafts. */
const DRAFT_TOKENS = 10_000;

if (parentPort === null) throw new Error('this runs in a thread of a node');
const port = parentPort;
const { controlUrl, token, directory } = workerData as DraftThreadData;
const tell = (message: FromDrafts): void => port.postMessage(message);

const facts = new KnownFacts();
const keys = new ProviderKeys(Date.now, () => undefined, askBySource(facts));
const pools = new UpstreamPools();
const source = new AskedDirectory(directory);
const authorizers = new NodeAuthorizers(facts, (text) => tell({ type: 'log', text }));
const contracts = new NodeContracts({ controlUrl, token, folder: null, log: (text) => tell({ type: 'log', text }) });
const parts = {
  keys,
  introspection: new Introspector(facts, Date.now),
  pools,
  facts,
  nonces: new Nonces(token),
  replay: new LocalReplayMemory(),
  tokens: new TokenCache(DRAFT_TOKENS),
  authorizers,
  contracts,
  counters: new FreshCounters(),
  guesses: new FreshCounters(),
  directory: () => source,
  fault: (error: unknown, at: string) => tell({ type: 'log', text: `fault in the ${at} of a draft: ${(error as Error).stack ?? String(error)}` }),
  parts: new DocumentParts((hashes) => askParts({ controlUrl, token }, hashes), MAX_DRAFTS),
};
const drafts = new Drafts(parts);
/** What authorizers are tried with, which look at no keys. */
const withoutKeys = nodePorts({ ...parts, keys: keys.lease([]) });
setInterval(() => void keys.tick(), KEYS_TICK_MS);
setInterval(() => pools.tick(performance.now()), TICK_MS);

/** Why a question cannot be answered is an answer too. */
async function answer(ask: AboutDraft, publicOrigin: string): Promise<NodeAnswer> {
  const { askId } = ask;
  try {
    if (ask.type === 'try-authorizer') return { askId, probe: null, tried: await tryAuthorizer(ask.request, withoutKeys), error: null };
    return await drafts.with(ask.hash, ask.document, async (draft) =>
      ask.type === 'probe'
        ? { askId, probe: await runProbe(ask.request, draft, ask.forward, publicOrigin), error: null }
        : { askId, probe: null, examined: await runExamine(ask.request, draft, publicOrigin), error: null },
    );
  } catch (failure) {
    return { askId, probe: null, examined: null, error: (failure as Error).message };
  }
}

port.on('message', (message: ToDrafts) => {
  if (message.type === 'facts') facts.set(message.facts);
  else void answer(message.ask, message.publicOrigin).then((given) => tell({ type: 'answer', answer: given }));
});
