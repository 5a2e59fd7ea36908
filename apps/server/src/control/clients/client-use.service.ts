import { Injectable } from '@nestjs/common';
import { entryOf, isCode, STEP_NAMES, STEPS, type StepId } from '@virga/core';
import type { ClientUseView, UseDays } from '@virga/protocol';
import { notFound } from '../../http/problems.js';
import { ClientRow } from '../../store/models/clients.js';
import { clientTraffic, type ClientTraffic } from '../../store/record-store.js';
import { Store } from '../../store/store.js';
import { DraftService } from '../releases/draft.service.js';

const HOUR_MS = 3_600_000;
/** Hours of one slice, by the days that are shown. */
const SLICE_HOURS: Readonly<Record<UseDays, number>> = { 1: 1, 7: 6, 30: 24 };

/** What a client used: exact counts of the requests that proved themselves as it. */
@Injectable()
export class ClientUseService {
  constructor(
    private readonly store: Store,
    private readonly draft: DraftService,
  ) {}

  async view(clientId: string, days: UseDays): Promise<ClientUseView> {
    if (!(await ClientRow.findByPk(clientId, { attributes: ['id'] }))) throw notFound('client');
    const sliceMs = SLICE_HOURS[days] * HOUR_MS;
    const to = (Math.floor(Date.now() / HOUR_MS) + 1) * HOUR_MS;
    const from = to - days * 24 * HOUR_MS;
    const slices = Array.from({ length: (to - from) / sliceMs }, (_, index) => ({ at: from + index * sliceMs, passed: 0, wouldRefuse: 0, refused: 0 }));
    // A node whose clock is ahead tells of hours that have not come: they are shown when they have.
    const groups = (await clientTraffic(this.store, clientId, from, sliceMs)).filter(({ slice }) => slice < slices.length);
    for (const { slice, outcome, count } of groups) {
      const one = slices[slice];
      if (!one) continue;
      if (outcome === 'refused') one.refused += count;
      else one.passed += count;
      if (outcome === 'would-refuse') one.wouldRefuse += count;
    }
    const untold = await clientTraffic(this.store, '', from, sliceMs);
    return {
      from,
      to,
      sliceMs,
      passed: sumOf(groups.filter(({ outcome }) => outcome !== 'refused')),
      refused: sumOf(groups.filter(({ outcome }) => outcome === 'refused')),
      slices,
      apis: this.#apis(groups),
      reasons: reasonsOf(groups),
      untold: sumOf(untold),
    };
  }

  #apis(groups: readonly ClientTraffic[]): ClientUseView['apis'] {
    const { apis } = this.draft.document;
    const nameOf = (id: string): string => (id === '' ? 'no API' : (apis.find((api) => api.id === id)?.name ?? 'an API that is gone'));
    const own = new Map<string, { passed: number; refused: number }>();
    for (const { apiId, outcome, count } of groups) {
      const { passed, refused } = own.get(apiId) ?? { passed: 0, refused: 0 };
      own.set(apiId, outcome === 'refused' ? { passed, refused: refused + count } : { passed: passed + count, refused });
    }
    return [...own]
      .map(([apiId, counts]) => ({ apiId: apiId === '' ? null : apiId, apiName: nameOf(apiId), ...counts }))
      .sort((a, b) => b.passed + b.refused - a.passed - a.refused);
  }
}

const sumOf = (groups: readonly ClientTraffic[]): number => groups.reduce((sum, { count }) => sum + count, 0);

/** Nodes of another version may know steps that this one does not. */
const nameOfStep = (step: string): string => (STEPS.includes(step as StepId) ? STEP_NAMES[step as StepId] : step);

function reasonsOf(groups: readonly ClientTraffic[]): ClientUseView['reasons'] {
  const reasons = new Map<string, ClientUseView['reasons'][number]>();
  for (const { outcome, code, step, count } of groups) {
    if (outcome === 'passed') continue;
    const known = reasons.get(`${outcome} ${code}`);
    const title = isCode(code) ? entryOf(code).title : code;
    reasons.set(`${outcome} ${code}`, { code, title, step, stepName: nameOfStep(step), outcome, count: count + (known?.count ?? 0) });
  }
  return [...reasons.values()].sort((a, b) => b.count - a.count);
}
