import type { RecordBatch, RequestOutcome, StepCount, StepId, StepOutcome, TraceRecord } from '@virga/core';
import { Op, QueryTypes, type Transaction, type WhereOptions } from 'sequelize';
import { BatchRow, TraceRow, UnsentRow } from './models/records.js';
import { addRows, insertRows } from './add-rows.js';
import { addViolations } from './violation-store.js';
import type { Store } from './store.js';

/** Adds rows to what is counted: `added` is summed where the same is counted already. */
const counting = (table: string, columns: readonly string[], key: readonly string[], added: readonly string[]): string =>
  `${insertRows(table, columns)} ON CONFLICT (${key.join(', ')}) DO UPDATE SET ${added.map((name) => `${name} = ${name} + excluded.${name}`).join(', ')}`;

const TRAFFIC = ['minute', 'api_id', 'operation_id', 'code', 'status', 'outcome'] as const;
const ADD_TRAFFIC = counting('traffic', [...TRAFFIC, 'step', 'count', 'total_us'], TRAFFIC, ['count', 'total_us']);
const STEPS = ['minute', 'api_id', 'operation_id', 'step', 'code', 'outcome'] as const;
const ADD_STEPS = counting('step_traffic', [...STEPS, 'count'], STEPS, ['count']);
const CLIENTS = ['client_id', 'hour', 'api_id', 'code', 'outcome'] as const;
const ADD_CLIENT_TRAFFIC = counting('client_traffic', [...CLIENTS, 'step', 'count'], CLIENTS, ['count']);

/** Nodes may tell of the same credential in any order: the latest use counts. */
const NOTE_USE = 'UPDATE client_credentials SET last_used_at = :at, last_used_from = :from WHERE id = :id AND (last_used_at IS NULL OR last_used_at < :at)';

/** Writes one batch of a node. The same batch sent twice is taken once. */
export function writeBatch(store: Store, node: string, batchId: string, batch: RecordBatch, now: number): Promise<void> {
  return store.write(async (transaction) => {
    const last = await BatchRow.findByPk(node, { transaction });
    if (last?.batchId === batchId) return;
    await TraceRow.bulkCreate(batch.traces.map(toRow), { transaction, ignoreDuplicates: true });
    await addViolations(store, batch.traces, transaction);
    const counts = batch.counts.map(({ minute, apiId, operationId, code, status, outcome, step, count, totalUs }) => [
      ...[minute, apiId ?? '', operationId ?? '', code, status, outcome],
      ...[step, count, totalUs],
    ]);
    await addRows(store, ADD_TRAFFIC, counts, transaction);
    for (const { id, at, from } of batch.uses ?? []) await store.sequelize.query(NOTE_USE, { replacements: { id, at, from }, transaction });
    const clients = (batch.clients ?? []).map(({ clientId, hour, apiId, code, outcome, step, count }) => [
      ...[clientId ?? '', hour, apiId ?? '', code, outcome],
      ...[step, count],
    ]);
    await addRows(store, ADD_CLIENT_TRAFFIC, clients, transaction);
    const steps = [...stepCounts(batch)].map(({ minute, apiId, operationId, step, code, outcome, count }) => [
      ...[minute, apiId, operationId, step, code, outcome],
      count,
    ]);
    await addRows(store, ADD_STEPS, steps, transaction);
    if (batch.unsent.passed + batch.unsent.refused + batch.unsent.steps > 0) {
      const minute = now - (now % 60_000);
      await store.sequelize.query(
        'INSERT INTO unsent (minute, passed, refused, steps) VALUES (:minute, :passed, :refused, :steps) ON CONFLICT (minute) DO UPDATE SET passed = passed + excluded.passed, refused = refused + excluded.refused, steps = steps + excluded.steps',
        { replacements: { minute, ...batch.unsent }, transaction },
      );
    }
    await BatchRow.upsert({ node, batchId }, { transaction });
  });
}

interface StepTraffic extends StepCount {
  readonly minute: number;
  readonly apiId: string;
  readonly operationId: string;
  readonly count: number;
}

/** What single steps found in the requests of a batch, those that are alike together. */
function stepCounts(batch: RecordBatch): Iterable<StepTraffic> {
  const counts = new Map<string, StepTraffic>();
  for (const { minute, apiId, operationId, steps, count } of batch.counts) {
    for (const { step, code, outcome } of steps) {
      const one = { minute, apiId: apiId ?? '', operationId: operationId ?? '', step, code, outcome };
      const key = Object.values(one).join('\n');
      counts.set(key, { ...one, count: count + (counts.get(key)?.count ?? 0) });
    }
  }
  return counts.values();
}

function toRow(trace: TraceRecord): Record<string, unknown> {
  const { id, at, release, method, path, apiId, operationId, outcome, status, step, code, address, providerId, subject, client, totalUs, ...body } = trace;
  return {
    id,
    at,
    release,
    method,
    path,
    apiId,
    operationId,
    outcome,
    status,
    step,
    code,
    address,
    providerId,
    subject,
    client,
    totalUs,
    body: JSON.stringify(body),
  };
}

export interface TraceFilter {
  readonly outcome?: string;
  readonly api?: string;
  readonly operation?: string;
  readonly step?: string;
  readonly code?: string;
  readonly status?: number;
  readonly client?: string;
  readonly subject?: string;
  readonly text?: string;
  readonly since?: number;
  readonly until?: number;
  readonly before?: { readonly at: number; readonly id: string };
}

/** Traces that meet every filter, newest first. */
export async function findTraces(filter: TraceFilter, limit: number): Promise<TraceRow[]> {
  const all: WhereOptions[] = [];
  const equal: Record<string, unknown> = {
    outcome: filter.outcome,
    apiId: filter.api,
    operationId: filter.operation,
    step: filter.step,
    code: filter.code,
    status: filter.status,
    client: filter.client,
    subject: filter.subject,
  };
  for (const [name, value] of Object.entries(equal)) if (value !== undefined) all.push({ [name]: value });
  if (filter.since !== undefined) all.push({ at: { [Op.gte]: filter.since } });
  if (filter.until !== undefined) all.push({ at: { [Op.lt]: filter.until } });
  if (filter.before) all.push({ [Op.or]: [{ at: { [Op.lt]: filter.before.at } }, { at: filter.before.at, id: { [Op.lt]: filter.before.id } }] });
  if (filter.text) {
    const part = { [Op.substring]: filter.text };
    all.push({ [Op.or]: [{ path: part }, { subject: part }, { client: part }, { address: part }, { id: part }] });
  }
  return TraceRow.findAll({
    where: { [Op.and]: all },
    order: [
      ['at', 'DESC'],
      ['id', 'DESC'],
    ],
    limit,
    raw: true,
  });
}

export function findTrace(id: string): Promise<TraceRow | null> {
  return TraceRow.findByPk(id, { raw: true });
}

/** One group of the traffic of a span of time. */
export interface TrafficGroup {
  readonly slice: number;
  readonly step: string;
  readonly code: string;
  readonly outcome: RequestOutcome;
  readonly count: number;
  readonly totalUs: number;
}

/** Exact counts from a time on, by slice of time, step and code. */
export function trafficGroups(store: Store, from: number, sliceMs: number): Promise<TrafficGroup[]> {
  return store.sequelize.query<TrafficGroup>(
    'SELECT ((minute - :from) / :sliceMs) AS slice, step, code, outcome, SUM(count) AS count, SUM(total_us) AS totalUs FROM traffic WHERE minute >= :from GROUP BY slice, step, code, outcome',
    { replacements: { from, sliceMs }, type: QueryTypes.SELECT },
  );
}

export interface OperationTraffic {
  readonly apiId: string;
  readonly operationId: string;
  readonly requests: number;
  readonly refused: number;
  /** Passed, and would have been refused had it not only been observed. */
  readonly wouldRefuse: number;
}

/** Requests and refusals of each operation from a time on; an empty operation id holds what matched none. */
export function operationTraffic(store: Store, from: number): Promise<OperationTraffic[]> {
  return store.sequelize.query<OperationTraffic>(
    "SELECT api_id AS apiId, operation_id AS operationId, SUM(count) AS requests, SUM(CASE WHEN outcome = 'refused' THEN count ELSE 0 END) AS refused, SUM(CASE WHEN outcome = 'would-refuse' THEN count ELSE 0 END) AS wouldRefuse FROM traffic WHERE minute >= :from GROUP BY api_id, operation_id",
    { replacements: { from }, type: QueryTypes.SELECT },
  );
}

/** One group of what a client used. */
export interface ClientTraffic {
  readonly slice: number;
  readonly apiId: string;
  readonly step: string;
  readonly code: string;
  readonly outcome: RequestOutcome;
  readonly count: number;
}

/** Requests that proved themselves as a client from a time on, by slice of time, API and ending. An empty id holds those that could not be told apart. */
export function clientTraffic(store: Store, clientId: string, from: number, sliceMs: number): Promise<ClientTraffic[]> {
  return store.sequelize.query<ClientTraffic>(
    'SELECT ((hour - :from) / :sliceMs) AS slice, api_id AS apiId, step, code, outcome, SUM(count) AS count FROM client_traffic WHERE client_id = :clientId AND hour >= :from GROUP BY slice, apiId, step, code, outcome',
    { replacements: { clientId, from, sliceMs }, type: QueryTypes.SELECT },
  );
}

/** What a client used goes with it: another of its name begins anew. */
export async function forgetClientTraffic(store: Store, clientId: string, transaction: Transaction): Promise<void> {
  await store.sequelize.query('DELETE FROM client_traffic WHERE client_id = :clientId', { replacements: { clientId }, transaction });
}

export interface OperationSteps {
  readonly step: string;
  readonly outcome: StepOutcome;
  readonly count: number;
}

/** What came of one step in all requests from a time on. */
export function stepOutcomes(store: Store, step: StepId, from: number): Promise<Pick<OperationSteps, 'outcome' | 'count'>[]> {
  return store.sequelize.query<Pick<OperationSteps, 'outcome' | 'count'>>(
    'SELECT outcome, SUM(count) AS count FROM step_traffic WHERE minute >= :from AND step = :step GROUP BY outcome',
    { replacements: { from, step }, type: QueryTypes.SELECT },
  );
}

/** What single steps of one operation did from a time on. */
export function operationSteps(store: Store, apiId: string, operationId: string, from: number): Promise<OperationSteps[]> {
  return store.sequelize.query<OperationSteps>(
    'SELECT step, outcome, SUM(count) AS count FROM step_traffic WHERE minute >= :from AND api_id = :apiId AND operation_id = :operationId GROUP BY step, outcome',
    { replacements: { from, apiId, operationId }, type: QueryTypes.SELECT },
  );
}

/** Requests of one caller that would have been refused by one check. */
export interface ObservedCaller {
  readonly operationId: string;
  readonly subject: string | null;
  readonly client: string | null;
  /** For callers of whom nothing else is known. */
  readonly address: string | null;
  readonly step: StepId;
  readonly requests: number;
}

/** Whom enforcing would have refused from a time on, in the traces that are kept, those with most requests first. */
export function observedCallers(store: Store, apiId: string, from: number, limit: number): Promise<ObservedCaller[]> {
  return store.sequelize.query<ObservedCaller>(
    "SELECT operation_id AS operationId, subject, client, CASE WHEN subject IS NULL AND client IS NULL THEN address END AS address, step, COUNT(*) AS requests FROM traces WHERE api_id = :apiId AND outcome = 'would-refuse' AND at >= :from GROUP BY 1, 2, 3, 4, 5 ORDER BY requests DESC LIMIT :limit",
    { replacements: { apiId, from, limit }, type: QueryTypes.SELECT },
  );
}

/** Traces not kept from a time on. */
export async function unsentSince(from: number): Promise<{ passed: number; refused: number }> {
  const rows = await UnsentRow.findAll({ where: { minute: { [Op.gte]: from } }, raw: true });
  return rows.reduce((sum, row) => ({ passed: sum.passed + row.passed, refused: sum.refused + row.refused }), { passed: 0, refused: 0 });
}

/** Deletes traces beyond a count or an age, and traffic counters older than `trafficBefore`. */
export async function prune(store: Store, keep: { traceCount: number; tracesFrom: number; trafficFrom: number }): Promise<void> {
  const edge = await TraceRow.findAll({ attributes: ['at'], order: [['at', 'DESC']], offset: keep.traceCount, limit: 1, raw: true });
  const from = Math.max(keep.tracesFrom, edge[0]?.at ?? 0);
  await store.write(async (transaction) => {
    await TraceRow.destroy({ where: { at: { [Op.lte]: from } }, transaction });
    for (const table of ['traffic', 'step_traffic'])
      await store.sequelize.query(`DELETE FROM ${table} WHERE minute < :from`, { replacements: { from: keep.trafficFrom }, transaction });
    await store.sequelize.query('DELETE FROM client_traffic WHERE hour < :from', { replacements: { from: keep.trafficFrom }, transaction });
    await store.sequelize.query('DELETE FROM violations WHERE last_at < :from', { replacements: { from: keep.tracesFrom }, transaction });
    await UnsentRow.destroy({ where: { minute: { [Op.lt]: keep.tracesFrom } }, transaction });
  });
}
