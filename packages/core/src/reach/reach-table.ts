import type { CompiledOperation } from '../decision/compiled.js';
import type { ReleaseDocument } from '../document/release-document.js';
import type { KnownFacts, SupposedCaller } from '../suppose/supposed-caller.js';
import { ANY_REQUEST } from '../suppose/supposed-request.js';
import { Supposition } from '../suppose/supposition.js';
import type { KeySource } from '../token/verify-token.js';
import { laterToken } from './later-token.js';
import { Reach, type ReachCell } from './reach.js';

/** What is supposed of every request of a table; null where it is not known. */
export interface ReachSettings {
  /** Milliseconds since the epoch. */
  readonly atMs: number | null;
  readonly address: string | null;
  /** The present, in which tokens are good. */
  readonly nowMs: number;
}

/** An operation as a table names it. */
export interface ReachOperation {
  readonly apiId: string;
  readonly apiName: string;
  readonly operationId: string;
  readonly method: string;
  readonly path: string;
}

/** Who can reach what by one release: a row for each operation, a cell in it for each caller. */
export interface ReachTable {
  readonly operations: readonly ReachOperation[];
  readonly rows: readonly (readonly ReachCell[])[];
}

/** A release made ready to say who can reach what. */
export function reachOf(document: ReleaseDocument, facts: KnownFacts, { atMs, address, nowMs }: ReachSettings, keys: KeySource | null = null): Reach {
  const unknown = { hour: atMs === null, address: address === null, request: true, authorizers: 'all' } as const;
  return new Reach(new Supposition(document, { facts, unknown, keys, authorizers: null }), facts, { ...ANY_REQUEST, address }, atMs ?? nowMs);
}

/** Callers at the time of a table: their tokens are as old then as they are now. */
export const callersAt = (callers: readonly SupposedCaller[], { atMs, nowMs }: ReachSettings): readonly SupposedCaller[] =>
  atMs === null || atMs === nowMs
    ? callers
    : callers.map((caller) => ({ ...caller, credentials: caller.credentials.map((one) => (one.kind === 'token' ? laterToken(one, atMs - nowMs) : one)) }));

export async function reachTable(reach: Reach, callers: readonly SupposedCaller[]): Promise<ReachTable> {
  const rows: (readonly ReachCell[])[] = [];
  for (const operation of reach.operations) rows.push(await reach.row(operation, callers));
  return { operations: reach.operations.map(namedOperation), rows };
}

const namedOperation = ({ api, rule }: CompiledOperation): ReachOperation => ({
  apiId: api.id,
  apiName: api.name,
  operationId: rule.id,
  method: rule.method,
  path: api.basePath + rule.path,
});

/** Two releases side by side: every operation of either, and what it is to each caller by both; null where there is none. */
export interface ReachComparison {
  readonly operations: readonly ReachOperation[];
  readonly before: readonly (readonly ReachCell[] | null)[];
  readonly after: readonly (readonly ReachCell[] | null)[];
}

export function compareReach(before: ReachTable, after: ReachTable): ReachComparison {
  const keyOf = ({ apiId, operationId }: ReachOperation): string => `${apiId}\n${operationId}`;
  const was = new Map(before.operations.map((operation, index) => [keyOf(operation), before.rows[index] ?? null]));
  const is = new Map(after.operations.map((operation, index) => [keyOf(operation), after.rows[index] ?? null]));
  const operations = [...after.operations, ...before.operations.filter((operation) => !is.has(keyOf(operation)))];
  return {
    operations,
    before: operations.map((operation) => was.get(keyOf(operation)) ?? null),
    after: operations.map((operation) => is.get(keyOf(operation)) ?? null),
  };
}

/** Whether two cells say something else: who is not there reaches nothing. */
export function cellsDiffer(before: ReachCell | null, after: ReachCell | null): boolean {
  const only = before ?? after;
  if (before === null || after === null) return only !== null && only.kind !== 'refused';
  return before.kind !== after.kind || before.hangsOn.join('\n') !== after.hangsOn.join('\n');
}

/** Whether somebody reaches more than before: what was refused is not, or what hung on something does not. */
export const reachesMore = (before: ReachCell | null, after: ReachCell | null): boolean => order(after) > order(before);

const order = (cell: ReachCell | null): number => (cell === null ? 0 : { refused: 0, conditional: 1, allowed: 2 }[cell.kind]);
