import { Injectable, Logger } from '@nestjs/common';
import { joinFindings, joinOperations, learnedKey, PathLearner, unpack, type LearnedBatch, type SeenFinding, type SeenOperation } from '@virga/core';
import type { SightingReport } from '@virga/protocol';
import { isTaken, readSightings, writeSightings, type SightingChange, type StoredOperation } from '../store/sighting-store.js';
import { Store } from '../store/store.js';

/** Places of sensitive data that are kept of one API. */
const MOST_FINDINGS = 5000;
/** Operations of contracts that are kept of one API. */
const MOST_OPERATIONS = 20_000;

/** What is known of the traffic of one API. */
interface ApiTraffic {
  readonly paths: PathLearner;
  readonly operations: Map<string, SeenOperation>;
  readonly findings: Map<string, SeenFinding>;
}

const findingKey = ({ operation, side, at, detector }: SeenFinding): string => JSON.stringify([detector, side, operation, at]);

/** Puts together what nodes learned from traffic. Reports are taken one after the other, each whole or not at all. */
@Injectable()
export class LearnedTrafficService {
  readonly #store: Store;
  readonly #log = new Logger('learning');
  readonly #known = new Map<string, Promise<ApiTraffic>>();
  #last: Promise<unknown> = Promise.resolve();

  constructor(store: Store) {
    this.#store = store;
  }

  /** What is known of the traffic of an API. */
  of(apiId: string): Promise<ApiTraffic> {
    let known = this.#known.get(apiId);
    if (!known) {
      known = this.#load(apiId);
      this.#known.set(apiId, known);
      known.catch(() => this.#known.delete(apiId));
    }
    return known;
  }

  /** Operations that were learned of an API, by their keys. */
  async learned(apiId: string): Promise<PathLearner['entries']> {
    return (await this.of(apiId)).paths.entries;
  }

  async #load(apiId: string): Promise<ApiTraffic> {
    const { operations, findings } = await readSightings(this.#store, apiId);
    const paths = new PathLearner();
    for (const { kind, key, operation } of operations) if (kind === 'learned') paths.join(key.slice(key.indexOf(' ') + 1), operation);
    paths.takeChanged();
    return {
      paths,
      operations: new Map(operations.flatMap(({ kind, key, operation }) => (kind === 'operation' ? [[key, operation] as const] : []))),
      findings: new Map(findings),
    };
  }

  take(report: SightingReport): Promise<void> {
    const taking = this.#last.then(() => this.#take(report));
    this.#last = taking.catch(() => undefined);
    return taking;
  }

  async #take(report: SightingReport): Promise<void> {
    if (await isTaken(report.node, report.id)) return;
    const changes: SightingChange[] = [];
    let dropped = report.dropped;
    for (const { apiId, learned } of report.apis) {
      const traffic = await this.of(apiId);
      try {
        const batch = unpack<LearnedBatch>(learned);
        changes.push(joined(apiId, traffic, batch));
        dropped += Number.isInteger(batch.unplaced) ? batch.unplaced : 0;
      } catch (error) {
        // What cannot be read is not asked for again: it would stop all that comes after it. What came of it so far is not kept.
        this.#known.delete(apiId);
        this.#log.error(`what ${report.node} learned could not be read: ${(error as Error).message}`);
      }
    }
    try {
      await writeSightings(this.#store, { node: report.node, id: report.id, taken: report.taken, dropped }, changes, Date.now());
    } catch (error) {
      // What is in memory and not on disk would be counted twice when the report comes again.
      for (const { apiId } of report.apis) this.#known.delete(apiId);
      throw error;
    }
  }
}

/** Adds a report to what is known, and says what has to be written. */
function joined(apiId: string, traffic: ApiTraffic, batch: LearnedBatch): SightingChange {
  const changed: StoredOperation[] = [];
  for (const { path, operation } of batch.paths) traffic.paths.join(path, operation);
  const gone: string[] = [];
  for (const key of traffic.paths.takeChanged()) {
    const entry = traffic.paths.entries.get(key);
    if (entry) changed.push({ kind: 'learned', key: learnedKey(entry.operation.method, entry.path), operation: entry.operation });
    else gone.push(key);
  }
  for (const [id, operation] of batch.operations) {
    const known = traffic.operations.get(id);
    if (known) joinOperations(known, operation);
    else if (traffic.operations.size < MOST_OPERATIONS) traffic.operations.set(id, operation);
    else continue;
    changed.push({ kind: 'operation', key: id, operation: known ?? operation });
  }
  const findings = batch.findings.flatMap((finding): [string, SeenFinding][] => {
    const key = findingKey(finding);
    const known = traffic.findings.get(key);
    if (known) joinFindings(known, finding);
    else if (traffic.findings.size < MOST_FINDINGS) traffic.findings.set(key, finding);
    else return [];
    return [[key, known ?? finding]];
  });
  return { apiId, operations: changed, gone, findings };
}
