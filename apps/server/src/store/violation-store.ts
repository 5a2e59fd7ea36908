import { CONTRACT_PARTS, type Operands, type StepTrace, type TraceRecord } from '@virga/core';
import { createHash } from 'node:crypto';
import { QueryTypes, type Transaction } from 'sequelize';
import { addRows, insertRows, type Cell } from './add-rows.js';
import type { Store } from './store.js';

export const HOUR_MS = 3_600_000;

/** Different rows that are kept of one hour. Callers choose names and places, so beyond it kinds are counted alone. */
const MOST_OF_HOUR = 5000;

/** One kind of deviation of one operation. */
export interface ViolationKind {
  readonly id: string;
  readonly apiId: string;
  readonly operationId: string;
  readonly part: string;
  readonly code: string;
  readonly name: string;
  readonly at: string;
  readonly rule: string;
  readonly keyword: string;
  readonly wanted: string;
  readonly found: string;
  readonly member: string | null;
}

const PARTS: ReadonlySet<string> = new Set(['contract', ...CONTRACT_PARTS]);

const OF_KIND = ['id', 'apiId', 'operationId', 'part', 'code', 'name', 'at', 'rule', 'keyword', 'wanted', 'found', 'member'] as const;
const COLUMNS = ['id', 'api_id', 'operation_id', 'part', 'code', 'name', 'at', 'rule', 'keyword', 'wanted', 'found', 'member'];
const ADD = `${insertRows('violations', [...COLUMNS, 'hour', 'outcome', 'caller', 'count', 'first_at', 'last_at', 'trace_id'])}
  ON CONFLICT (hour, id, outcome, caller) DO UPDATE SET count = count + 1, first_at = MIN(first_at, excluded.first_at),
    trace_id = CASE WHEN excluded.last_at >= last_at THEN excluded.trace_id ELSE trace_id END, last_at = MAX(last_at, excluded.last_at)`;

/** Writes down what deviated in the requests of some traces. */
export async function addViolations(store: Store, traces: readonly TraceRecord[], transaction: Transaction): Promise<void> {
  const found = traces.flatMap((trace) => trace.steps.filter(isViolation).map((step) => ({ trace, step })));
  if (found.length === 0) return;
  const room = new Map<number, number>();
  const rows: Cell[][] = [];
  for (const { trace, step } of found) {
    const hour = trace.at - (trace.at % HOUR_MS);
    let left = room.get(hour);
    if (left === undefined) {
      const [row] = await store.sequelize.query<{ n: number }>('SELECT COUNT(*) AS n FROM violations WHERE hour = :hour', {
        replacements: { hour },
        type: QueryTypes.SELECT,
        transaction,
      });
      left = MOST_OF_HOUR - (row?.n ?? 0);
    }
    room.set(hour, left - 1);
    const kind = kindOf(trace, step, left <= 0);
    const caller = left <= 0 ? '' : (trace.client ?? trace.subject ?? trace.address);
    rows.push([...OF_KIND.map((member) => kind[member]), hour, step.outcome, caller, 1, trace.at, trace.at, trace.id]);
  }
  await addRows(store, ADD, rows, transaction);
}

const isViolation = ({ step, outcome }: StepTrace): boolean => PARTS.has(step) && (outcome === 'refuse' || outcome === 'would-refuse');

/** @param coarse leaves out what callers choose */
function kindOf({ apiId, operationId }: TraceRecord, { step, code, operands }: StepTrace, coarse: boolean): ViolationKind {
  const own = coarse ? { name: '', at: '', rule: '', wanted: '', found: '', member: null } : placeOf(operands);
  const kind = { apiId: apiId ?? '', operationId: operationId ?? '', part: step, code, keyword: textOf(operands['keyword']), ...own };
  return { id: createHash('sha256').update(JSON.stringify(kind)).digest('base64url').slice(0, 22), ...kind };
}

function placeOf(operands: Operands): Pick<ViolationKind, 'name' | 'at' | 'rule' | 'wanted' | 'found' | 'member'> {
  return {
    name: textOf(operands['name']),
    // Items of one list deviate alike.
    at: textOf(operands['at']).replace(/\/\d+(?=\/|$)/g, '/*'),
    rule: textOf(operands['rule']),
    wanted: textOf(operands['wanted']),
    // Sizes differ from value to value.
    found: textOf(operands['found']).replace(/ of \d+$/, ''),
    member: typeof operands['member'] === 'string' ? operands['member'].slice(0, 200) : null,
  };
}

/** A text of a trace, or a list of them as one. */
const textOf = (value: unknown): string => (Array.isArray(value) ? value.join(' or ') : typeof value === 'string' ? value : '').slice(0, 300);

/** One kind in a span of time. */
export interface ViolationRow extends ViolationKind {
  readonly refused: number;
  readonly wouldRefuse: number;
  readonly callers: number;
  readonly callerNames: string;
  readonly firstAt: number;
  readonly lastAt: number;
  readonly traceId: string;
}

const KIND = 'id, api_id AS apiId, operation_id AS operationId, part, code, name, at, rule, keyword, wanted, found, member';

/** Kinds of deviations from a time on, those with most requests first. */
export function violations(
  store: Store,
  from: number,
  filter: { readonly api?: string | undefined; readonly part?: string | undefined },
  limit: number,
): Promise<ViolationRow[]> {
  const where = ['last_at >= :from', ...(filter.api ? ['api_id = :api'] : []), ...(filter.part ? ['part = :part'] : [])].join(' AND ');
  return store.sequelize.query<ViolationRow>(
    `SELECT ${KIND}, SUM(CASE WHEN outcome = 'refuse' THEN count ELSE 0 END) AS refused, SUM(CASE WHEN outcome = 'would-refuse' THEN count ELSE 0 END) AS wouldRefuse,
      COUNT(DISTINCT NULLIF(caller, '')) AS callers, GROUP_CONCAT(DISTINCT caller) AS callerNames, MIN(first_at) AS firstAt, MAX(last_at) AS lastAt, trace_id AS traceId
      FROM violations WHERE ${where} GROUP BY id ORDER BY SUM(count) DESC, id LIMIT :limit`,
    { replacements: { from, limit, ...filter }, type: QueryTypes.SELECT },
  );
}

/** Requests of some kinds by the hour. */
export function violationHours(store: Store, from: number, ids: readonly string[]): Promise<{ id: string; hour: number; count: number }[]> {
  if (ids.length === 0) return Promise.resolve([]);
  return store.sequelize.query('SELECT id, hour, SUM(count) AS count FROM violations WHERE last_at >= :from AND id IN (:ids) GROUP BY id, hour', {
    replacements: { from, ids },
    type: QueryTypes.SELECT,
  });
}

/** One kind by its id; null where it is not known. */
export async function violationKind(store: Store, id: string): Promise<ViolationKind | null> {
  const [row] = await store.sequelize.query<ViolationKind>(`SELECT ${KIND} FROM violations WHERE id = :id LIMIT 1`, {
    replacements: { id },
    type: QueryTypes.SELECT,
  });
  return row ?? null;
}

/** How often parts of contracts were looked at and what came of it, exactly. */
export function partCounts(store: Store, from: number): Promise<{ apiId: string; step: string; outcome: string; count: number }[]> {
  return store.sequelize.query(
    "SELECT api_id AS apiId, step, outcome, SUM(count) AS count FROM step_traffic WHERE minute >= :from AND step LIKE 'contract%' GROUP BY api_id, step, outcome",
    { replacements: { from }, type: QueryTypes.SELECT },
  );
}
