import type { PortalLogLine } from '@virga/protocol';
import { Op, type Transaction } from 'sequelize';
import { ClientRow } from './models/clients.js';
import { AccountRow, MemberRow, PortalLogRow, TeamRow } from './models/portal.js';
import { SubscriptionRow } from './models/subscriptions.js';

const WORDS = 2000;

/** One thing that was done in the portal or about it. */
export interface PortalEvent {
  readonly by: string;
  readonly side: PortalLogLine['side'];
  readonly teamId: string | null;
  /** Whether somebody approved, declined or switched something. */
  readonly decides?: boolean;
  readonly words: string;
}

/** Writes it down with the same transaction: what is not in the log was not done. */
export async function logPortal({ by, side, teamId, decides = false, words }: PortalEvent, transaction: Transaction): Promise<void> {
  // One line each, whatever line breaks a name has.
  await PortalLogRow.create({ at: Date.now(), by, side, teamId, decides, words: words.replace(/\s+/g, ' ').slice(0, WORDS) }, { transaction });
}

export async function readPortalLog(before: number | undefined, decisionsOnly: boolean, limit: number): Promise<{ items: PortalLogLine[]; more: boolean }> {
  const rows = await PortalLogRow.findAll({
    where: { ...(before === undefined ? {} : { number: { [Op.lt]: before } }), ...(decisionsOnly ? { decides: true } : {}) },
    order: [['number', 'DESC']],
    limit: limit + 1,
    raw: true,
  });
  const names = await teamNames(rows.flatMap(({ teamId }) => teamId ?? []));
  const items = rows.slice(0, limit).map(({ number, at, by, side, teamId, words }) => ({
    number,
    at: Number(at),
    by,
    side,
    teamName: teamId === null ? null : (names.get(teamId) ?? 'a team that is gone'),
    words,
  }));
  return { items, more: rows.length > limit };
}

/** Names of teams by their ids. */
export async function teamNames(ids: readonly string[]): Promise<ReadonlyMap<string, string>> {
  if (ids.length === 0) return new Map();
  return new Map((await TeamRow.findAll({ where: { id: [...new Set(ids)] }, raw: true })).map(({ id, name }) => [id, name]));
}

/** How much waits for the operator. */
export async function portalWaiting(): Promise<{ readonly accounts: number; readonly subscriptions: readonly SubscriptionRow[] }> {
  const [accounts, subscriptions] = await Promise.all([
    AccountRow.count({ where: { state: 'waiting' } }),
    SubscriptionRow.findAll({ where: { state: 'waiting' }, order: [['askedAt', 'ASC']], limit: 500, raw: true }),
  ]);
  return { accounts, subscriptions };
}

/** Rows counted by the value of a column. */
async function counted(rows: Promise<unknown>, column: string, field: string): Promise<ReadonlyMap<string, number>> {
  return new Map(((await rows) as Record<string, unknown>[]).map((row) => [String(row[column] ?? row[field]), Number(row['count'])]));
}

export const memberCounts = (): Promise<ReadonlyMap<string, number>> => counted(MemberRow.count({ group: ['teamId'] }), 'teamId', 'team_id');
export const clientCounts = (): Promise<ReadonlyMap<string, number>> =>
  counted(ClientRow.count({ where: { teamId: { [Op.ne]: null } }, group: ['teamId'] }), 'teamId', 'team_id');
