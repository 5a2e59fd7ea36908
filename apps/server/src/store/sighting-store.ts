import { pack, unpack, type SeenFinding, type SeenOperation } from '@virga/core';
import { QueryTypes, type Transaction } from 'sequelize';
import { BatchRow } from './models/records.js';
import type { Store } from './store.js';

const HOUR_MS = 3_600_000;

/** Of a contract, by its id; or learned, by method and path. */
export type SeenKind = 'operation' | 'learned';

/** One operation as it was seen; of one that was learned `path` is its template. */
export interface StoredOperation {
  readonly kind: SeenKind;
  readonly key: string;
  readonly operation: SeenOperation;
}

/** What changes when a report of a node is taken. */
export interface SightingChange {
  readonly apiId: string;
  readonly operations: readonly StoredOperation[];
  /** Keys of learned operations that are others now. */
  readonly gone: readonly string[];
  readonly findings: readonly (readonly [key: string, finding: SeenFinding])[];
}

/** The row of `batches` that reports of a node have: its records have one under its name. */
const batchOf = (node: string): string => `sightings of ${node}`;

/** Whether a report was taken before. */
export async function isTaken(node: string, id: string): Promise<boolean> {
  return (await BatchRow.findByPk(batchOf(node)))?.batchId === id;
}

/** Writes what a report of a node changed, together with its id: the same report sent twice is taken once. */
export function writeSightings(
  store: Store,
  report: { readonly node: string; readonly id: string; readonly taken: number; readonly dropped: number },
  changes: readonly SightingChange[],
  now: number,
): Promise<void> {
  return store.write(async (transaction) => {
    for (const change of changes) await writeChange(store, change, transaction);
    await store.sequelize.query(
      'INSERT INTO sighting_counts (hour, taken, dropped) VALUES (:hour, :taken, :dropped) ON CONFLICT (hour) DO UPDATE SET taken = taken + excluded.taken, dropped = dropped + excluded.dropped',
      { replacements: { hour: now - (now % HOUR_MS), taken: report.taken, dropped: report.dropped }, transaction },
    );
    await BatchRow.upsert({ node: batchOf(report.node), batchId: report.id }, { transaction });
  });
}

async function writeChange(store: Store, { apiId, operations, gone, findings }: SightingChange, transaction: Transaction): Promise<void> {
  for (const key of gone)
    await store.sequelize.query("DELETE FROM seen_operations WHERE api_id = :apiId AND kind = 'learned' AND key = :key", {
      replacements: { apiId, key },
      transaction,
    });
  for (const { kind, key, operation } of operations)
    await store.sequelize.query(
      'INSERT INTO seen_operations (api_id, kind, key, body, requests, last_at) VALUES (:apiId, :kind, :key, :body, :requests, :last) ON CONFLICT (api_id, kind, key) DO UPDATE SET body = excluded.body, requests = excluded.requests, last_at = excluded.last_at',
      { replacements: { apiId, kind, key, body: pack(operation), requests: operation.seen, last: operation.last }, transaction },
    );
  for (const [key, finding] of findings)
    await store.sequelize.query(
      'INSERT INTO sensitive_findings (api_id, key, body, messages, last_at) VALUES (:apiId, :key, :body, :messages, :last) ON CONFLICT (api_id, key) DO UPDATE SET body = excluded.body, messages = excluded.messages, last_at = excluded.last_at',
      { replacements: { apiId, key, body: pack(finding), messages: finding.seen, last: finding.last }, transaction },
    );
}

/** All that was seen of one API. */
export async function readSightings(
  store: Store,
  apiId: string,
): Promise<{ readonly operations: StoredOperation[]; readonly findings: readonly (readonly [key: string, finding: SeenFinding])[] }> {
  const select = <T extends object>(sql: string): Promise<T[]> => store.sequelize.query<T>(sql, { replacements: { apiId }, type: QueryTypes.SELECT });
  const [operations, findings] = await Promise.all([
    select<{ kind: SeenKind; key: string; body: string }>('SELECT kind, key, body FROM seen_operations WHERE api_id = :apiId ORDER BY key'),
    select<{ key: string; body: string }>('SELECT key, body FROM sensitive_findings WHERE api_id = :apiId ORDER BY messages DESC, key'),
  ]);
  return {
    operations: operations.map(({ kind, key, body }) => ({ kind, key, operation: unpack<SeenOperation>(body) })),
    findings: findings.map(({ key, body }) => [key, unpack<SeenFinding>(body)] as const),
  };
}

/** Requests that were looked into from a time on, and those that were passed over. */
export async function sightingCounts(store: Store, from: number): Promise<{ readonly taken: number; readonly dropped: number }> {
  const [row] = await store.sequelize.query<{ taken: number | null; dropped: number | null }>(
    'SELECT SUM(taken) AS taken, SUM(dropped) AS dropped FROM sighting_counts WHERE hour >= :from',
    { replacements: { from: from - (from % HOUR_MS) }, type: QueryTypes.SELECT },
  );
  return { taken: row?.taken ?? 0, dropped: row?.dropped ?? 0 };
}

/** Keys of learned operations of an API that somebody dismissed. */
export async function dismissedKeys(store: Store): Promise<{ readonly apiId: string; readonly key: string }[]> {
  return store.sequelize.query<{ apiId: string; key: string }>('SELECT api_id AS apiId, key FROM dismissed_operations', { type: QueryTypes.SELECT });
}

/** Dismisses a learned operation, or takes that back. */
export function setDismissed(store: Store, apiId: string, key: string, by: string | null): Promise<void> {
  return store.write(async (transaction) => {
    await store.sequelize.query(
      by === null
        ? 'DELETE FROM dismissed_operations WHERE api_id = :apiId AND key = :key'
        : 'INSERT INTO dismissed_operations (api_id, key, at, by) VALUES (:apiId, :key, :at, :by) ON CONFLICT (api_id, key) DO NOTHING',
      { replacements: { apiId, key, at: Date.now(), by }, transaction },
    );
  });
}

/** How one operation was used: exact counts, as far back as traffic is kept. */
export interface OperationUse {
  readonly apiId: string;
  readonly operationId: string;
  readonly requests: number;
  readonly errors: number;
  readonly refused: number;
  readonly firstAt: number;
  readonly lastAt: number;
}

export function operationUse(store: Store): Promise<OperationUse[]> {
  return store.sequelize.query<OperationUse>(
    "SELECT api_id AS apiId, operation_id AS operationId, SUM(count) AS requests, SUM(CASE WHEN status >= 500 THEN count ELSE 0 END) AS errors, SUM(CASE WHEN outcome = 'refused' THEN count ELSE 0 END) AS refused, MIN(minute) AS firstAt, MAX(minute) AS lastAt FROM traffic GROUP BY api_id, operation_id",
    { type: QueryTypes.SELECT },
  );
}

/** Lets go of what was not seen for long. */
export function pruneSightings(store: Store, from: number): Promise<void> {
  return store.write(async (transaction) => {
    for (const table of ['seen_operations', 'sensitive_findings'])
      await store.sequelize.query(`DELETE FROM ${table} WHERE last_at < :from`, { replacements: { from }, transaction });
    await store.sequelize.query('DELETE FROM sighting_counts WHERE hour < :from', { replacements: { from }, transaction });
  });
}
