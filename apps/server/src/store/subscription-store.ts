import type { DirectoryChange, SubscriptionFact, SubscriptionState } from '@virga/core';
import { Op, type Transaction, type WhereOptions } from 'sequelize';
import { ClientRow } from './models/clients.js';
import { SubscriptionRow } from './models/subscriptions.js';

const PAGE = 500;

export const timeOf = (value: number | null): number | null => (value === null ? null : Number(value));

export const subscriptionFact = ({ id, clientId, planId, state, startsAt, endsAt }: SubscriptionRow): SubscriptionFact => ({
  id,
  clientId,
  planId,
  state,
  startsAt: timeOf(startsAt),
  endsAt: timeOf(endsAt),
});

/** All subscriptions as changes, a bounded number at a time. */
export async function* subscriptionPages(): AsyncGenerator<DirectoryChange[]> {
  for (let after = ''; ;) {
    const rows = await SubscriptionRow.findAll({ where: { id: { [Op.gt]: after } }, order: [['id', 'ASC']], limit: PAGE, raw: true });
    if (rows.length > 0) yield rows.map((row): DirectoryChange => ({ what: 'subscription', id: row.id, value: subscriptionFact(row) }));
    after = rows[rows.length - 1]?.id ?? '';
    if (rows.length < PAGE) break;
  }
}

export interface SubscriptionFilter {
  readonly clientId?: string;
  readonly planId?: string;
  readonly state?: SubscriptionState;
}

/** Subscriptions, those that wait first, then the newest. */
export async function findSubscriptions(filter: SubscriptionFilter, offset: number, limit: number): Promise<{ rows: SubscriptionRow[]; total: number }> {
  const where: WhereOptions = Object.fromEntries(Object.entries(filter).filter(([, value]) => value !== undefined));
  const [all, total] = await Promise.all([
    SubscriptionRow.findAll({
      where,
      order: [
        ['askedAt', 'DESC'],
        ['id', 'ASC'],
      ],
      offset,
      limit,
      raw: true,
    }),
    SubscriptionRow.count({ where }),
  ]);
  return { rows: [...all.filter(({ state }) => state === 'waiting'), ...all.filter(({ state }) => state !== 'waiting')], total };
}

/** What an operator suspended, ended or declined of clients; of one plan where that is named. What a team gave back itself is none. */
export async function refusedBefore(clientIds: readonly string[], planId?: string, transaction?: Transaction): Promise<SubscriptionRow[]> {
  const rows = await SubscriptionRow.findAll({
    where: { clientId: [...clientIds], state: ['suspended', 'ended'], ...(planId === undefined ? {} : { planId }) },
    raw: true,
    ...(transaction ? { transaction } : {}),
  });
  return rows.filter(({ state, decidedBy }) => state === 'suspended' || decidedBy?.startsWith('portal: ') !== true);
}

/** Clients by their ids. */
export async function clientsById(ids: readonly string[]): Promise<ReadonlyMap<string, ClientRow>> {
  return new Map((await ClientRow.findAll({ where: { id: [...new Set(ids)] }, raw: true })).map((row) => [row.id, row]));
}

/** How many subscriptions of each plan are in each state. */
export async function subscriptionCounts(): Promise<ReadonlyMap<string, Readonly<Partial<Record<SubscriptionState, number>>>>> {
  const rows = (await SubscriptionRow.count({ group: ['planId', 'state'] })) as unknown as {
    planId?: string;
    plan_id?: string;
    state: SubscriptionState;
    count: number;
  }[];
  const counts = new Map<string, Partial<Record<SubscriptionState, number>>>();
  for (const { planId, plan_id: column, state, count } of rows) {
    const plan = planId ?? column ?? '';
    counts.set(plan, { ...counts.get(plan), [state]: Number(count) });
  }
  return counts;
}
