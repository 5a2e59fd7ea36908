import { Injectable } from '@nestjs/common';
import { CONTRACT_PARTS, STEP_NAMES, type ContractPart } from '@virga/core';
import type { AcceptView, ContractPlaceView, ContractStanding, ViolationList, ViolationView } from '@virga/protocol';
import { notFound, problem } from '../../http/problems.js';
import { operationTraffic, unsentSince } from '../../store/record-store.js';
import { Store } from '../../store/store.js';
import { HOUR_MS, partCounts, violationHours, violationKind, violations, type ViolationRow } from '../../store/violation-store.js';
import { contractView } from '../apis/contract-mapping.js';
import { DraftService } from '../releases/draft.service.js';
import { ContractService } from '../contract/contract.service.js';
import type { AcceptAnswer, PlaceAnswer } from '../contract/contract-question.js';

const DAY_MS = 24 * HOUR_MS;
/** Rows of one list, and names of callers in a row. */
const MOST_ROWS = 500;
const MOST_CALLERS = 5;

/** How requests and answers keep to their contracts: exact counts by part, and what deviated where. */
@Injectable()
export class ConformanceService {
  constructor(
    private readonly draft: DraftService,
    private readonly contracts: ContractService,
    private readonly store: Store,
  ) {}

  async standing(): Promise<ContractStanding[]> {
    const from = Date.now() - DAY_MS;
    const [counts, traffic] = await Promise.all([partCounts(this.store, from), operationTraffic(this.store, from)]);
    return this.draft.document.apis.map((api) => {
      const own = counts.filter(({ apiId }) => apiId === api.id);
      const sum = (part: string, ...outcomes: string[]): number =>
        own.filter(({ step, outcome }) => step === part && outcomes.includes(outcome)).reduce((total, { count }) => total + count, 0);
      return {
        apiId: api.id,
        name: api.name,
        version: api.version,
        described: api.contractHash !== null,
        observesAll: api.modes.all === 'observe',
        rule: contractView(api.contract),
        ownRules: api.operations.filter(({ contract }) => contract !== null).length,
        requests: traffic.filter(({ apiId }) => apiId === api.id).reduce((total, { requests }) => total + requests, 0),
        parts: CONTRACT_PARTS.map((part) => ({
          part,
          looked: sum(part, 'pass', 'refuse', 'would-refuse'),
          refused: sum(part, 'refuse'),
          wouldRefuse: sum(part, 'would-refuse'),
        })),
      };
    });
  }

  async list(filter: { readonly api?: string | undefined; readonly part?: string | undefined }, hours: number): Promise<ViolationList> {
    const now = Date.now();
    const from = now - hours * HOUR_MS;
    const rows = await violations(this.store, from, filter, MOST_ROWS + 1);
    const shown = rows.slice(0, MOST_ROWS);
    const [byHour, unsent] = await Promise.all([
      violationHours(
        this.store,
        from,
        shown.map(({ id }) => id),
      ),
      unsentSince(from),
    ]);
    const first = from - (from % HOUR_MS);
    const slices = new Map<string, number[]>(shown.map(({ id }) => [id, Array<number>(hours + 1).fill(0)]));
    for (const { id, hour, count } of byHour) {
      const at = Math.round((hour - first) / HOUR_MS);
      const own = slices.get(id);
      if (own && at >= 0 && at < own.length) own[at] = (own[at] ?? 0) + count;
    }
    return { items: shown.map((row) => this.#view(row, slices.get(row.id) ?? [])), more: rows.length > MOST_ROWS, unsent: unsent.refused, sliceMs: HOUR_MS };
  }

  #view({ callerNames, ...row }: ViolationRow, slices: number[]): ViolationView {
    const api = this.draft.document.apis.find(({ id }) => id === row.apiId);
    const operation = api?.operations.find(({ id }) => id === row.operationId);
    const part = row.part as ContractPart | 'contract';
    return {
      ...row,
      part,
      apiName: api?.name ?? 'an API that is gone',
      method: operation?.method ?? '',
      path: operation?.path ?? row.operationId,
      partName: STEP_NAMES[part],
      callerNames: (callerNames ?? '').split(',').filter(Boolean).slice(0, MOST_CALLERS),
      slices,
    };
  }

  async place(apiId: string, pointer: string): Promise<ContractPlaceView> {
    const { text } = await this.#textOf(apiId);
    return this.contracts.ask<PlaceAnswer>({ kind: 'place', text, pointer });
  }

  /** How the contract of the draft would accept a kind of deviation. Changes nothing. */
  async accept(apiId: string, violation: string): Promise<AcceptView> {
    const kind = await violationKind(this.store, violation);
    if (!kind || kind.apiId !== apiId) throw notFound('violation');
    const part = CONTRACT_PARTS.find((one) => one === kind.part);
    const { text, format } = await this.#textOf(apiId);
    const answer = part ? await this.contracts.ask<AcceptAnswer>({ kind: 'accept', text, format, part, deviation: kind }) : null;
    if (answer === null)
      throw problem(
        409,
        'How the contract could accept this cannot be told',
        'Look at the rule that does not hold and change it by hand: several changes are possible, or the contract has changed since.',
      );
    return { says: answer.says, before: text, after: answer.after, format };
  }

  async #textOf(apiId: string): Promise<{ readonly text: string; readonly format: 'json' | 'yaml' }> {
    const hash = this.draft.document.apis.find(({ id }) => id === apiId)?.contractHash ?? null;
    const row = hash === null ? null : await this.contracts.find(hash);
    if (!row) throw notFound('contract');
    return row;
  }
}
