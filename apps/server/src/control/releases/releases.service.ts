import { Injectable } from '@nestjs/common';
import { diffReleases, upgradeDocument, type ReleaseChange, type ReleaseDocument } from '@virga/core';
import type { CaseResults, PublishView, ReleaseSummary, ReleaseView, TrialsKept } from '@virga/protocol';
import { performance } from 'node:perf_hooks';
import { NodeHub } from '../../nodes/node-hub.js';
import { ReleaseRow } from '../../store/models/configuration.js';
import { Store } from '../../store/store.js';
import { notFound, problem } from '../../http/problems.js';
import { keptTrials } from '../trial-run/report-view.js';
import { TrialRunner } from '../trial-run/trial-runner.js';
import { caseName, CaseRunner } from '../cases/case-runner.js';
import { DraftService, hashOf } from './draft.service.js';

const SUMMARY = ['number', 'hash', 'note', 'publishedAt', 'publishedBy', 'rolledBackTo', 'apiCount', 'operationCount', 'providerCount'];
const EFFECT_MS = 5000;

/** Failing trials that a refusal names; there are more in their own report. */
const SHOWN_FAILING = 200;

/** What was run before a release, as it is kept with it; releases of earlier versions have less. */
interface Checks {
  readonly cases: CaseResults;
  readonly trials: TrialsKept;
}

export interface LiveDocument {
  readonly summary: ReleaseSummary;
  readonly document: ReleaseDocument;
}

/** Releases: immutable, numbered, made from the draft or from an earlier release. */
@Injectable()
export class ReleasesService {
  readonly #store: Store;
  readonly #draft: DraftService;
  readonly #hub: NodeHub;
  readonly #cases: CaseRunner;
  readonly #trials: TrialRunner;
  #live: LiveDocument | null = null;
  #hashed: { of: ReleaseDocument; hash: string } | null = null;
  #changes: { of: string; changes: ReleaseChange[] } | null = null;

  constructor(store: Store, draft: DraftService, hub: NodeHub, cases: CaseRunner, trials: TrialRunner) {
    this.#trials = trials;
    this.#cases = cases;
    this.#store = store;
    this.#draft = draft;
    this.#hub = hub;
  }

  async load(): Promise<void> {
    const row = await ReleaseRow.findOne({ order: [['number', 'DESC']], raw: true });
    if (!row) return;
    this.#live = { summary: summaryOf(row), document: upgradeDocument(JSON.parse(row.document)) };
    this.#hub.begin({ number: row.number, hash: row.hash, document: this.#live.document });
  }

  get live(): LiveDocument | null {
    return this.#live;
  }

  /** Hash of what is live in the form of this version; a release of an earlier one keeps the hash that it was published with. */
  #liveHash(): string | null {
    if (!this.#live) return null;
    if (this.#hashed?.of !== this.#live.document) this.#hashed = { of: this.#live.document, hash: hashOf(this.#live.document) };
    return this.#hashed.hash;
  }

  /** What the draft changes against the live release. */
  changes(): readonly ReleaseChange[] {
    const of = `${this.#draft.hash} ${this.#live?.summary.number ?? 0}`;
    if (this.#changes?.of !== of) {
      const same = this.#draft.hash === this.#liveHash();
      this.#changes = { of, changes: same ? [] : diffReleases(this.#live?.document ?? null, this.#draft.document) };
    }
    return this.#changes.changes;
  }

  async list(): Promise<ReleaseSummary[]> {
    const rows = await ReleaseRow.findAll({ attributes: SUMMARY, order: [['number', 'DESC']], limit: 500, raw: true });
    return rows.map(summaryOf);
  }

  async view(number: number): Promise<ReleaseView> {
    const row = await this.#row(number);
    const before = await ReleaseRow.findByPk(number - 1, { raw: true });
    const changes = diffReleases(before ? upgradeDocument(JSON.parse(before.document)) : null, upgradeDocument(JSON.parse(row.document)));
    const checks = row.checks ? (JSON.parse(row.checks) as Partial<Checks>) : {};
    return {
      ...summaryOf(row),
      cases: checks.cases && checks.cases.items.length > 0 ? checks.cases : null,
      trials: checks.trials ?? null,
      changes: changes.slice(0, 500).map((change) => ({ ...change })),
    };
  }

  async document(number: number): Promise<ReleaseDocument> {
    return upgradeDocument(JSON.parse((await this.#row(number)).document));
  }

  /** The document of a release, without reading the live one again; null where there is none of that number. */
  async documentOf(number: number): Promise<ReleaseDocument | null> {
    if (this.#live?.summary.number === number) return this.#live.document;
    const row = await ReleaseRow.findByPk(number, { raw: true });
    return row && upgradeDocument(JSON.parse(row.document));
  }

  /** @param overrule failing cases and trials that do not stop it, cases as `caseName` calls them */
  async publish(by: string, note: string, overrule: readonly string[] = []): Promise<PublishView> {
    const [first] = this.#draft.problems;
    if (first) throw problem(422, 'The draft cannot be published', first.detail, [...this.#draft.problems]);
    if (this.#live && this.#draft.hash === this.#liveHash()) throw problem(409, 'Nothing to publish', 'The draft and the live release are the same.');
    // What is published is what the cases were run on, whatever is edited meanwhile.
    const { document } = this.#draft;
    const cases = await this.#cases.run(document, overrule);
    const failing = cases.items.filter(({ holds, overruled }) => !holds && !overruled);
    if (failing.length > 0)
      throw problem(
        409,
        failing.length === 1 ? 'A case of an authorizer does not hold' : `${failing.length} cases of authorizers do not hold`,
        'Mend the authorizer or its case, or overrule each case by its name.',
        failing.map((one) => ({ pointer: `/overrule/${caseName(one)}`, detail: `${caseName(one)}: ${one.expected} expected. ${one.sentence}` })),
      );
    const trials = await this.#trials.run(document, this.#live?.document ?? null);
    const got = trials.items.filter(({ result, name }) => result === 'fails' && !overrule.includes(name));
    if (got.length > 0)
      throw problem(
        409,
        got.length === 1 ? 'A trial does not hold' : `${got.length} trials do not hold`,
        'Mend the rule that lets it in, or overrule each trial by its name.',
        got
          .slice(0, SHOWN_FAILING)
          .map(({ name, expected, sentence }) => ({ pointer: `/overrule/${name}`, detail: `${name}: ${expected} expected. ${sentence}` })),
      );
    return this.#make(document, by, note, null, { cases, trials: keptTrials(trials, overrule) });
  }

  /** Publishes the document of an earlier release again, under a new number. The draft stays as it is. */
  async rollBack(number: number, by: string, note: string): Promise<PublishView> {
    const row = await this.#row(number);
    if (row.hash === this.#live?.summary.hash) throw problem(409, 'Nothing to roll back', `Release ${number} is what is live.`);
    return this.#make(upgradeDocument(JSON.parse(row.document)), by, note || `Roll back to release ${number}`, number);
  }

  /** Makes the draft equal to a release. */
  async takeIntoDraft(number: number, by: string): Promise<void> {
    const document = await this.document(number);
    await this.#draft.change({ by }, () => document);
  }

  async #row(number: number): Promise<ReleaseRow> {
    const row = await ReleaseRow.findByPk(number, { raw: true });
    if (!row) throw notFound('release');
    return row;
  }

  async #make(document: ReleaseDocument, by: string, note: string, rolledBackTo: number | null, checks: Checks | null = null): Promise<PublishView> {
    const text = JSON.stringify(document);
    const facts = {
      hash: hashOf(document),
      document: text,
      note,
      publishedAt: Date.now(),
      publishedBy: by,
      rolledBackTo,
      checks: checks && JSON.stringify(checks),
      apiCount: document.apis.length,
      operationCount: document.apis.reduce((sum, api) => sum + api.operations.length, 0),
      providerCount: document.providers.length,
    };
    const row = await this.#store.write(async (transaction) => {
      const last = (await ReleaseRow.max<number | null, ReleaseRow>('number', { transaction })) ?? 0;
      return ReleaseRow.create({ number: last + 1, ...facts }, { transaction });
    });
    const summary = summaryOf(row.get({ plain: true }) as ReleaseRow);
    // The nodes get a copy that nothing in this process shares.
    this.#live = { summary, document: upgradeDocument(JSON.parse(text)) };
    const startedAt = performance.now();
    const told = await this.#hub.announce({ number: summary.number, hash: summary.hash, document }, EFFECT_MS);
    const effectiveMs = told.live > 0 && told.live === told.told ? Math.round((performance.now() - startedAt) * 10) / 10 : null;
    return { release: summary, effectiveMs, nodesTold: told.told, nodesLive: told.live };
  }
}

function summaryOf(row: ReleaseRow): ReleaseSummary {
  const { number, hash, publishedAt, publishedBy, note, rolledBackTo, apiCount, operationCount, providerCount } = row;
  return { number, hash, publishedAt: Number(publishedAt), publishedBy, note, rolledBackTo: rolledBackTo ?? null, apiCount, operationCount, providerCount };
}
