import { Injectable } from '@nestjs/common';
import { DETECTORS, detectorFinder, patternFault, scanJsonText, scanText, templateShape, type ApiRule, type Detector, type SeenFinding } from '@virga/core';
import type { DetectorsPatch, SensitiveFindingView, SensitiveView, TriedDetectors, TryDetectorsInput } from '@virga/protocol';
import type { EditedBy } from '../../session/edited-by.js';
import { sightingCounts } from '../../store/sighting-store.js';
import { Store } from '../../store/store.js';
import { sensitiveView } from '../apis/sensitive-mapping.js';
import { lastDays } from '../inventory/inventory.service.js';
import { LearnedTrafficService } from '../../record/learned-traffic.service.js';
import { partOf, revisionOf } from '../releases/draft-part.js';
import { DraftService } from '../releases/draft.service.js';

const DAY_MS = 86_400_000;
const MOST_ROWS = 1000;
const MOST_CALLERS = 10;
const MOST_HITS = 500;
const PART = { kind: 'detectors' } as const;

/** Sensitive data: what is looked for, where it was found, and who got it. */
@Injectable()
export class SensitiveService {
  constructor(
    private readonly store: Store,
    private readonly draft: DraftService,
    private readonly traffic: LearnedTrafficService,
  ) {}

  async view(): Promise<SensitiveView> {
    const { apis, detectors } = this.draft.document;
    const names = new Map([...DETECTORS, ...detectors].map(({ id, name }) => [id, name]));
    const rows: SensitiveFindingView[] = [];
    const today = Math.floor(Date.now() / DAY_MS);
    for (const api of apis) {
      const { findings } = await this.traffic.of(api.id);
      for (const finding of findings.values()) rows.push(findingView(api, finding, names.get(finding.detector) ?? finding.detector, today));
    }
    rows.sort((a, b) => b.messages - a.messages || b.lastAt - a.lastAt);
    return {
      revision: revisionOf(partOf(this.draft.document, PART) ?? {}),
      items: rows.slice(0, MOST_ROWS),
      more: rows.length > MOST_ROWS,
      detectors: DETECTORS.map(({ id, name, group, verifies }) => ({ id, name, group, verifies })),
      own: detectors.map((one) => ({ ...one })),
      apis: apis.map(({ id, name, version, sensitive }) => ({ apiId: id, name, version, rule: sensitiveView(sensitive) })),
      ...(await sightingCounts(this.store, Date.now() - DAY_MS)),
    };
  }

  async change({ detectors }: DetectorsPatch, edited: EditedBy): Promise<SensitiveView> {
    await this.draft.change({ part: PART, ...edited }, (document) => ({
      ...document,
      detectors: detectors.map(({ id, name, pattern }) => ({ id, name, pattern })),
    }));
    return this.view();
  }

  /** Tries detectors on a text, by the functions that look through traffic. */
  try({ text, pattern }: TryDetectorsInput): TriedDetectors {
    const fault = pattern === undefined ? null : patternFault(pattern);
    if (fault !== null) return { fault, hits: [], masked: text };
    const detectors = this.#tried(pattern);
    const { hits, masked } = scanJsonText(text, detectors) ?? scanText(text, detectors);
    return {
      fault: null,
      hits: hits.slice(0, MOST_HITS).map((hit) => ({ detectorName: hit.detector.name, at: hit.at, masked: hit.detector.mask(hit.text).slice(0, 200) })),
      masked: masked ?? text,
    };
  }

  #tried(pattern: string | undefined): readonly Detector[] {
    const { detectors } = this.draft.document;
    if (pattern !== undefined) return [detectorFinder([{ id: 'own-tried', name: 'The pattern', pattern }])('own-tried')];
    return [...DETECTORS.map(({ id }) => id), ...detectors.map(({ id }) => id)].map(detectorFinder(detectors));
  }
}

function findingView(api: ApiRule, finding: SeenFinding, detectorName: string, today: number): SensitiveFindingView {
  const operation = api.operations.find(({ id }) => id === finding.operation);
  const mark = finding.operation.indexOf(' ');
  const [method, path] = operation ? [operation.method, operation.path] : [finding.operation.slice(0, mark), finding.operation.slice(mark + 1)];
  const documented = operation ?? api.operations.find((one) => one.method === method && templateShape(one.path) === templateShape(path));
  const { side, at, detector, seen, values, passed, samples, callers, first, last, days } = finding;
  return {
    apiId: api.id,
    apiName: api.name,
    operationId: documented?.id ?? '',
    method,
    path: documented?.path ?? path,
    side,
    at,
    detector,
    detectorName,
    messages: seen,
    values,
    reached: passed,
    samples: [...samples],
    callers: [...callers]
      .map(([name, count]) => ({ name, count }))
      .sort((a, b) => b.count - a.count)
      .slice(0, MOST_CALLERS),
    firstAt: first,
    lastAt: last,
    days: lastDays(days, today),
  };
}
