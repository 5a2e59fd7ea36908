import { Injectable } from '@nestjs/common';
import {
  describeAccess,
  describeLearned,
  evidenceRows,
  learnedDocument,
  pack,
  operationKey,
  type ApiRule,
  type EvidenceRow,
  type LearnedEntry,
  type SeenOperation,
} from '@virga/core';
import type {
  AcceptView,
  DriftAcceptInput,
  DriftList,
  DriftView,
  InventoryApi,
  InventoryItem,
  InventoryView,
  LearnedView,
  ReviewInput,
  ReviewView,
} from '@virga/protocol';
import { fieldProblem, notFound, problem } from '../../http/problems.js';
import type { EditedBy } from '../../session/edited-by.js';
import { dismissedKeys, operationUse, setDismissed, sightingCounts, type OperationUse } from '../../store/sighting-store.js';
import { Store } from '../../store/store.js';
import { ApisService } from '../apis/apis.service.js';
import type { AcceptAnswer, DriftAnswer, MergeAnswer, WholeAnswer } from '../contract/contract-question.js';
import { ContractService } from '../contract/contract.service.js';
import { DraftService } from '../releases/draft.service.js';
import { ReleasesService } from '../releases/releases.service.js';
import { LearnedTrafficService } from '../../record/learned-traffic.service.js';

const DAY_MS = 86_400_000;
/** Days that are drawn. */
const DAYS = 14;
const MOST_CALLERS = 20;

/** What there is: operations of contracts, those that were never seen, and those that no contract has. */
@Injectable()
export class InventoryService {
  constructor(
    private readonly store: Store,
    private readonly draft: DraftService,
    private readonly releases: ReleasesService,
    private readonly apis: ApisService,
    private readonly contracts: ContractService,
    private readonly traffic: LearnedTrafficService,
  ) {}

  async view(): Promise<InventoryView> {
    const [uses, dismissed, counts] = await Promise.all([operationUse(this.store), dismissedKeys(this.store), sightingCounts(this.store, Date.now() - DAY_MS)]);
    const items: InventoryItem[] = [];
    for (const api of this.draft.document.apis) {
      const { operations, paths } = await this.traffic.of(api.id);
      const used = new Map(uses.filter(({ apiId }) => apiId === api.id).map((use) => [use.operationId, use]));
      const live = this.#live(api.id);
      const liveIds = new Set(live?.operations.map(({ id }) => id));
      for (const operation of api.operations) {
        const seen = operations.get(operation.id);
        const use = used.get(operation.id);
        items.push({
          ...placeOf(api),
          ...usedAs(use, seen),
          kind: use ? 'seen' : 'never-seen',
          key: operation.id,
          method: operation.method,
          path: operation.path,
          summary: operation.summary,
          required: describeAccess(operation.access ?? api.access, api.schemes),
          published: liveIds.has(operation.id) ? 'live' : 'draft',
          dismissed: false,
        });
      }
      items.push(...undocumentedOf(api, paths.entries, dismissed));
    }
    return { items, apis: this.draft.document.apis.map((api) => this.#api(api)), ...counts };
  }

  /** Operations that are seen and in no contract of the draft. */
  async undocumented(): Promise<InventoryItem[]> {
    const dismissed = await dismissedKeys(this.store);
    const found = await Promise.all(this.draft.document.apis.map(async (api) => undocumentedOf(api, await this.traffic.learned(api.id), dismissed)));
    return found.flat();
  }

  #live(apiId: string): ApiRule | undefined {
    return this.releases.live?.document.apis.find(({ id }) => id === apiId);
  }

  #api({ id, name, version, contractHash, learning }: ApiRule): InventoryApi {
    const live = this.#live(id);
    return {
      apiId: id,
      name,
      version,
      described: contractHash !== null,
      on: learning.on,
      answers: learning.answers,
      live: live?.learning.on ?? false,
      letsThrough: live?.unmatched.some(({ mode }) => mode !== 'refuse') ?? false,
    };
  }

  async learned(apiId: string, key: string): Promise<LearnedView> {
    const api = this.apis.find(apiId);
    const entry = await this.#entry(apiId, key);
    const { operation } = entry;
    const described = describeLearned(entry);
    const dismissed = await dismissedKeys(this.store);
    const { method, path } = described;
    return {
      key,
      method,
      path,
      requests: operation.seen,
      firstAt: operation.first,
      lastAt: operation.last,
      callers: counted(operation.callers),
      credentials: counted(operation.credentials),
      evidence: evidenceRows(operation, described).map(evidenceView),
      dismissed: dismissed.some((one) => one.apiId === apiId && one.key === key),
      apiAsks: api.access.kind === 'required',
      schemes: byUse(api),
    };
  }

  async #entry(apiId: string, key: string): Promise<LearnedEntry> {
    const entry = (await this.traffic.learned(apiId)).get(key);
    if (!entry) throw notFound('learned operation');
    return entry;
  }

  /** The contract of the draft as it would be with an operation that was learned. Changes nothing. */
  async review(apiId: string, input: ReviewInput): Promise<ReviewView> {
    const api = this.apis.find(apiId);
    const entry = await this.#entry(apiId, input.key);
    const row = api.contractHash === null ? null : await this.contracts.find(api.contractHash);
    if (!row) throw notFound('contract');
    const { leaveOut, operation } = input;
    const answer = await this.contracts.ask<MergeAnswer>({
      kind: 'merge',
      text: row.text,
      format: row.format,
      entry: pack(entry),
      leaveOut,
      security: securityOf(api, input),
      operation: operation ?? null,
    });
    if ('fault' in answer)
      throw operation === undefined ? problem(409, 'The contract cannot take this operation', answer.fault) : fieldProblem('/operation', answer.fault);
    return { before: row.text, after: answer.after, format: row.format, operation: answer.operation, pointer: answer.pointer };
  }

  /** Takes an operation that was learned into the contract of the draft. */
  async accept(apiId: string, input: ReviewInput, edited: EditedBy): Promise<ReviewView> {
    const reviewed = await this.review(apiId, input);
    await this.apis.bringInAgain(apiId, { source: { text: reviewed.after }, dryRun: false }, edited);
    return reviewed;
  }

  async dismiss(apiId: string, key: string, by: string | null): Promise<void> {
    this.apis.find(apiId);
    await this.#entry(apiId, key);
    await setDismissed(this.store, apiId, key, by);
  }

  /** All that was learned of an API and not dismissed, as a description of its own. */
  async document(apiId: string): Promise<string> {
    const api = this.apis.find(apiId);
    const dismissed = new Set((await dismissedKeys(this.store)).filter((one) => one.apiId === apiId).map(({ key }) => key));
    const entries = [...(await this.traffic.learned(apiId))].filter(([key]) => !dismissed.has(key)).map(([, entry]) => entry);
    return `${JSON.stringify(learnedDocument(`${api.name}, learned from traffic`, api.version, entries), null, 2)}\n`;
  }

  /** The contract of the draft, as OpenAPI 3.1 whatever it was brought in as. */
  async asOpenApi31(apiId: string): Promise<{ readonly text: string; readonly format: 'json' | 'yaml' }> {
    const { contractHash } = this.apis.find(apiId);
    const row = contractHash === null ? null : await this.contracts.find(contractHash);
    if (!row) throw notFound('contract');
    const { text } = await this.contracts.ask<WholeAnswer>({ kind: 'openapi-3.1', text: row.text, format: row.format });
    return { text, format: row.format };
  }

  /** The contract with what is really enforced. */
  async enforced(apiId: string): Promise<{ readonly text: string; readonly format: 'json' | 'yaml' }> {
    const api = this.apis.find(apiId);
    const row = api.contractHash === null ? null : await this.contracts.find(api.contractHash);
    if (!row) throw notFound('contract');
    const { limits, plans, guessing } = this.draft.document;
    const answer = await this.contracts.ask<WholeAnswer>({ kind: 'enforced', text: row.text, format: row.format, api, limiting: { limits, plans, guessing } });
    return { text: answer.text, format: row.format };
  }

  /** How the contract of the draft would say what was seen. Proposed only where the field is no drift any more with it. */
  async acceptDrift(apiId: string, { operationId, kind, where, at }: DriftAcceptInput): Promise<AcceptView> {
    const api = this.apis.find(apiId);
    const row = api.contractHash === null ? null : await this.contracts.find(api.contractHash);
    if (!row) throw notFound('contract');
    const { text, format } = row;
    const isIt = (one: { operationId: string; kind: string; where: string; at: string }): boolean =>
      one.operationId === operationId && one.kind === kind && one.where === where && one.at === at;
    const drift = (await this.#drift(api, text)).drift.find(isIt);
    if (!drift) throw notFound('field about which they disagree');
    const { method, path, found } = drift;
    const asked = { kind: 'accept-drift', text, format, operation: { method, path }, drift: { kind, where, at, found } } as const;
    const answer = await this.contracts.ask<AcceptAnswer>(asked);
    if (answer === null || (await this.#drift(api, answer.after)).drift.some(isIt))
      throw problem(
        409,
        'How the contract could accept this cannot be told',
        'Change it by hand: several changes are possible, or the contract has changed since.',
      );
    return { says: answer.says, before: text, after: answer.after, format };
  }

  async #drift(api: ApiRule, text: string): Promise<DriftAnswer> {
    const { operations } = await this.traffic.of(api.id);
    const seen = api.operations.flatMap(({ id, method, path }): [string, string, string, string][] => {
      const own = operations.get(id);
      return own ? [[id, method, path, pack(own)]] : [];
    });
    return this.contracts.ask<DriftAnswer>({ kind: 'drift', text, seen, api });
  }

  async drift(apiId: string): Promise<DriftList> {
    const api = this.apis.find(apiId);
    const row = api.contractHash === null ? null : await this.contracts.find(api.contractHash);
    if (!row) return { items: [], security: [] };
    const answer = await this.#drift(api, row.text);
    const today = Math.floor(Date.now() / DAY_MS);
    return {
      items: answer.drift.map(({ first, last, days, ...rest }): DriftView => ({ ...rest, firstAt: first, lastAt: last, days: lastDays(new Map(days), today) })),
      security: answer.security.map((gap) => ({ ...gap })),
    };
  }
}

/** Security schemes, those that most operations ask for first. */
function byUse({ schemes, access, operations }: ApiRule): string[] {
  const uses = new Map<string, number>();
  for (const { access: own } of operations) {
    const rule = own ?? access;
    for (const { scheme } of rule.kind === 'required' ? rule.alternatives.flat() : []) uses.set(scheme, (uses.get(scheme) ?? 0) + 1);
  }
  return schemes.map(({ name }) => name).sort((a, b) => (uses.get(b) ?? 0) - (uses.get(a) ?? 0));
}

/** What was learned of an API and is not in its contract; what has come into it since is not told any more. */
function undocumentedOf(
  api: ApiRule,
  entries: ReadonlyMap<string, LearnedEntry>,
  dismissed: readonly { readonly apiId: string; readonly key: string }[],
): InventoryItem[] {
  if (entries.size === 0) return [];
  const own = new Set(dismissed.filter(({ apiId }) => apiId === api.id).map(({ key }) => key));
  const documented = new Set(api.operations.map(operationKey));
  return [...entries].flatMap(([key, entry]): InventoryItem[] => {
    const { method, path } = describeLearned(entry);
    if (documented.has(operationKey({ method, path }))) return [];
    const known = { kind: 'undocumented', key, method, path, summary: '', required: '', published: 'none', dismissed: own.has(key) } as const;
    return [{ ...placeOf(api), ...usedAs(undefined, entry.operation), ...known }];
  });
}

const placeOf = ({ id, name, version, basePath }: ApiRule): Pick<InventoryItem, 'apiId' | 'apiName' | 'apiVersion' | 'basePath'> => ({
  apiId: id,
  apiName: name,
  apiVersion: version,
  basePath,
});

type Used = Pick<InventoryItem, 'requests' | 'errors' | 'refused' | 'callers' | 'firstAt' | 'lastAt' | 'credentials'>;

/** Exact counts where there are some; what was looked into otherwise. */
function usedAs(use: OperationUse | undefined, seen: SeenOperation | undefined): Used {
  const errors = [...(seen?.answers ?? [])].reduce((sum, [status, answers]) => (status >= 500 ? sum + answers.seen : sum), 0);
  return {
    requests: use?.requests ?? seen?.seen ?? 0,
    errors: use?.errors ?? errors,
    refused: use?.refused ?? 0,
    callers: seen?.callers.size ?? 0,
    firstAt: use?.firstAt ?? seen?.first ?? null,
    lastAt: seen?.last ?? use?.lastAt ?? null,
    credentials: [...(seen?.credentials.keys() ?? [])],
  };
}

const counted = (counts: ReadonlyMap<string, number>): { name: string; count: number }[] =>
  [...counts]
    .map(([name, count]) => ({ name, count }))
    .sort((a, b) => b.count - a.count)
    .slice(0, MOST_CALLERS);

const evidenceView = ({ first, last, callers, samples, ...rest }: EvidenceRow): LearnedView['evidence'][number] => ({
  ...rest,
  firstAt: first,
  lastAt: last,
  callers: counted(callers),
  samples: [...samples],
});

/** Counts of the last days, oldest first. */
export function lastDays(days: ReadonlyMap<number, number>, today: number): number[] {
  return Array.from({ length: DAYS }, (_, index) => days.get(today - DAYS + 1 + index) ?? 0);
}

/** What the operation says of who may call it: undefined leaves that to its API. Nobody gets in because nobody said anything. */
function securityOf(api: ApiRule, { requirement, scheme }: ReviewInput): readonly Readonly<Record<string, readonly string[]>>[] | undefined {
  if (requirement === 'public') return [];
  if (requirement === 'scheme') {
    if (scheme === undefined || !api.schemes.some(({ name }) => name === scheme)) throw fieldProblem('/scheme', 'Name a security scheme of the API');
    return [{ [scheme]: [] }];
  }
  if (api.access.kind !== 'required')
    throw fieldProblem('/requirement', 'The API asks nobody for a credential, so this operation would be open. Name a scheme, or say that it is public');
  return undefined;
}
