import {
  askCall,
  CALLER_KINDS,
  callersAt,
  compareReach,
  describedCallers,
  reachOf,
  reachTable,
  readKeySet,
  Supposition,
  type CallAnswer,
  type ExplainedCell,
  type HeldKeys,
  type KeySource,
  type Reach,
  type SupposedCaller,
} from '@virga/core';
import { SCRIPTS_HERE } from './run-scripts';
import type { CallAsked, CellQuestion, Question, TableAnswer, TableQuestion } from './suppose-messages';

/** How long one call is searched for ways, milliseconds: scripts may take their time. */
const SEARCH_MS = 8000;
/** Clients of one table: of more, those that are looked for. */
const MAX_CLIENTS = 1000;

/** Decides what nobody has sent, by the code that decides traffic, off the thread that draws. */
const sides = new Map<string, { readonly before: Reach | null; readonly after: Reach; readonly callers: readonly SupposedCaller[] }>();

async function table(question: TableQuestion): Promise<TableAnswer> {
  const from = performance.now();
  const { before, after, facts, settings, named } = question;
  const keys = await keySource(question.keys);
  const { clients } = facts;
  const sought =
    clients.length <= MAX_CLIENTS
      ? clients
      : clients.filter(({ name }) => name.toLowerCase().includes(question.clientText.toLowerCase())).slice(0, MAX_CLIENTS);
  const described = describedCallers(before ? [after, before] : [after], { ...facts, clients: sought }, named);
  const all = [...named, ...described].sort((a, b) => CALLER_KINDS.indexOf(a.kind) - CALLER_KINDS.indexOf(b.kind));
  const callers = callersAt(all, settings);
  const now = reachOf(after, facts, settings, keys);
  const was = before && reachOf(before, facts, settings, keys);
  const fresh = await reachTable(now, callers);
  const comparison = compareReach(was ? await reachTable(was, callers) : { operations: [], rows: [] }, fresh);
  sides.set(question.by, { before: was, after: now, callers });
  return {
    ...comparison,
    callers: callers.map(({ id, kind, name, note = '' }) => ({ id, kind, name, note })),
    clientsLeftOut: clients.length - sought.length,
    tookMs: performance.now() - from,
  };
}

async function keySource(published: TableQuestion['keys']): Promise<KeySource> {
  const held = new Map<string, HeldKeys>();
  for (const [id, keys] of Object.entries(published)) {
    const read = await readKeySet({ keys });
    held.set(id, { generation: 1, state: 'fresh', keys: read?.keys ?? [] });
  }
  const of = (id: string): HeldKeys => held.get(id) ?? { generation: 0, state: 'none', keys: [] };
  return { held: of, refetch: ({ id }) => Promise.resolve(of(id)) };
}

async function cell({ place, by }: CellQuestion): Promise<ExplainedCell> {
  const of = sides.get(by);
  const reach = of?.[place.side];
  const operation = reach?.operations.find(({ api, rule }) => api.id === place.apiId && rule.id === place.operationId);
  const caller = of?.callers.find(({ id }) => id === place.callerId);
  if (!reach || !operation || !caller) throw new Error('The release has no such operation');
  return reach.explain(operation, caller);
}

async function call({ document, facts, keys, call: question }: CallAsked): Promise<CallAnswer | null> {
  const unknown = { hour: false, address: question.address === null, request: false, authorizers: 'services' } as const;
  const supposition = new Supposition(document, { facts, unknown, keys: await keySource(keys), authorizers: SCRIPTS_HERE });
  const from = performance.now();
  return askCall(supposition, facts, question, () => performance.now() - from > SEARCH_MS);
}

function answerTo(question: Question): Promise<TableAnswer | ExplainedCell | CallAnswer | null> {
  switch (question.ask) {
    case 'table':
      return table(question);
    case 'cell':
      return cell(question);
    case 'call':
      return call(question);
  }
}

// One after another: decisions of one release share its clock.
let last: Promise<unknown> = Promise.resolve();
self.addEventListener('message', ({ data }: MessageEvent<{ readonly id: number; readonly question: Question }>) => {
  const { id, question } = data;
  last = last
    .then(() => answerTo(question))
    .then(
      (answer) => self.postMessage({ id, answer }),
      (error: unknown) => self.postMessage({ id, error: (error as Error).message }),
    );
});
