import { Injectable } from '@nestjs/common';
import { STEP_NAMES, type StepId, type StepTrace, type TracedCaller, explainSteps } from '@virga/core';
import type { SamplingView, TracePage, TraceQuery, TraceSummary, TraceView } from '@virga/protocol';
import { RecordService } from '../../record/record.service.js';
import type { TraceRow } from '../../store/models/records.js';
import { findTrace, findTraces, unsentSince } from '../../store/record-store.js';
import { notFound } from '../../http/problems.js';
import { ReleasesService } from '../releases/releases.service.js';
import { DraftService } from '../releases/draft.service.js';

const PAGE = 100;
const HOUR_MS = 3_600_000;
/** What a node keeps at most; the gateway's RECORD_LIMITS say the same, held together by a test. */
export const SAMPLING = { passedPerSecond: 50, refusedPerSecond: 200 };

interface TraceBody {
  readonly traceId: string;
  readonly node: string;
  readonly query: string;
  readonly steps: readonly StepTrace[];
  readonly requestHeaders: readonly (readonly [string, string])[];
  readonly responseHeaders: readonly (readonly [string, string])[];
  readonly requestBytes: number;
  readonly responseBytes: number;
  readonly who?: TracedCaller | null;
}

@Injectable()
export class TracesService {
  constructor(
    private readonly draft: DraftService,
    private readonly releases: ReleasesService,
    private readonly records: RecordService,
  ) {}

  async page(query: TraceQuery): Promise<TracePage> {
    const { before, limit = PAGE, ...filter } = query;
    const cursor = before === undefined ? null : { at: Number(before.split('-')[0]), id: before.slice(before.indexOf('-') + 1) };
    const rows = await findTraces({ ...filter, ...(cursor ? { before: cursor } : {}) }, limit + 1);
    const shown = rows.slice(0, limit);
    const last = shown[shown.length - 1];
    return {
      items: shown.map((row) => this.#summary(row)),
      next: rows.length > limit && last ? `${last.at}-${last.id}` : null,
      sampling: await this.#sampling(),
    };
  }

  async view(id: string): Promise<TraceView> {
    const row = await findTrace(id);
    if (!row) throw notFound('trace');
    const body = JSON.parse(row.body) as TraceBody;
    const headers = (list: TraceBody['requestHeaders']) => list.map(([name, value]) => ({ name, value }));
    const { traceId, node, query, requestBytes, responseBytes } = body;
    return {
      ...this.#summary(row, body),
      traceId,
      node,
      query,
      steps: explainSteps(body.steps, await this.releases.documentOf(row.release)),
      requestHeaders: headers(body.requestHeaders),
      responseHeaders: headers(body.responseHeaders),
      requestBytes,
      responseBytes,
      who: body.who ?? null,
    };
  }

  #summary(row: TraceRow, body: TraceBody = JSON.parse(row.body) as TraceBody): TraceSummary {
    const deciding = body.steps.find((step) => step.code === row.code);
    const { id, at, method, path, outcome, status, code, apiId, operationId, subject, client, address, release, totalUs } = row;
    return {
      id,
      at: Number(at),
      method,
      path,
      outcome,
      status,
      step: row.step as StepId,
      stepName: STEP_NAMES[row.step as StepId] ?? row.step,
      code,
      reason: deciding ? (explainSteps([deciding], null)[0]?.sentence ?? '') : '',
      apiId,
      apiName: this.draft.document.apis.find((api) => api.id === apiId)?.name ?? null,
      operationId,
      subject,
      client,
      provider: this.draft.document.providers.find((provider) => provider.id === row.providerId)?.name ?? row.providerId,
      address,
      release,
      totalUs,
    };
  }

  async #sampling(): Promise<SamplingView> {
    const [unsent, keep] = await Promise.all([unsentSince(Date.now() - HOUR_MS), this.records.retention()]);
    return { ...SAMPLING, unsentPassed: unsent.passed, unsentRefused: unsent.refused, keptForHours: keep.traceHours, keptAtMost: keep.traceCount };
  }
}
