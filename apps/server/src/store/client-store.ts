import { Op, type Transaction, type WhereOptions } from 'sequelize';
import type { ClientFact, CredentialFact, DirectoryChange } from '@virga/core';
import { ClientRow, CredentialRow } from './models/clients.js';
import { subscriptionPages } from './subscription-store.js';
import { tablePages } from './table-store.js';

const PAGE = 500;

export const clientFact = ({ id, name, enabled, roles, metadata }: ClientRow): ClientFact => ({
  id,
  name,
  enabled: Boolean(enabled),
  roles: JSON.parse(roles) as string[],
  metadata: JSON.parse(metadata) as ClientFact['metadata'],
});

const timeOf = (value: number | null): number | null => (value === null ? null : Number(value));

export const credentialFact = ({ id, clientId, kind, name, lookup, digest, expiresAt, revokedAt }: CredentialRow): CredentialFact => ({
  id,
  clientId,
  kind,
  name,
  lookup,
  digest,
  expiresAt: timeOf(expiresAt),
  revokedAt: timeOf(revokedAt),
});

/** All clients, credentials and tables as changes, a bounded number at a time. What another credential took the place of is left out. */
export async function* directoryPages(): AsyncGenerator<DirectoryChange[]> {
  for (let after = ''; ;) {
    const rows = await ClientRow.findAll({ where: { id: { [Op.gt]: after } }, order: [['id', 'ASC']], limit: PAGE, raw: true });
    if (rows.length > 0) yield rows.map((row): DirectoryChange => ({ what: 'client', id: row.id, value: clientFact(row) }));
    after = rows[rows.length - 1]?.id ?? '';
    if (rows.length < PAGE) break;
  }
  for (let after = ''; ;) {
    const rows = await CredentialRow.findAll({ where: { id: { [Op.gt]: after }, superseded: false }, order: [['id', 'ASC']], limit: PAGE, raw: true });
    if (rows.length > 0) yield rows.map((row): DirectoryChange => ({ what: 'credential', id: row.id, value: credentialFact(row) }));
    after = rows[rows.length - 1]?.id ?? '';
    if (rows.length < PAGE) break;
  }
  yield* subscriptionPages();
  yield* tablePages();
}

/** Clients whose name, owner, id, metadata or credentials have a text in them, by name. */
export async function findClients(text: string, offset: number, limit: number): Promise<{ rows: ClientRow[]; total: number }> {
  const part = { [Op.substring]: text };
  const byCredential =
    text === '' ? [] : await CredentialRow.findAll({ attributes: ['clientId'], where: { [Op.or]: [{ name: part }, { hint: part }] }, limit: PAGE, raw: true });
  const where: WhereOptions =
    text === ''
      ? {}
      : { [Op.or]: [{ name: part }, { owner: part }, { id: part }, { metadata: part }, { id: [...new Set(byCredential.map(({ clientId }) => clientId))] }] };
  const order: [string, string][] = [
    ['name', 'ASC'],
    ['id', 'ASC'],
  ];
  const [rows, total] = await Promise.all([ClientRow.findAll({ where, order, offset, limit, raw: true }), ClientRow.count({ where })]);
  return { rows, total };
}

export const credentialsOf = (clientIds: readonly string[]): Promise<CredentialRow[]> =>
  CredentialRow.findAll({ where: { clientId: [...clientIds] }, order: [['madeAt', 'DESC']], raw: true });

/** Credentials that are found by the same thing and still in the directory. */
export const sameLookup = (kind: string, lookup: string, transaction: Transaction): Promise<CredentialRow[]> =>
  CredentialRow.findAll({ where: { kind, lookup, superseded: false }, raw: true, transaction });

/** Credentials that leaked and are good still, those that leaked last first. */
export const leakedCredentials = (now: number, limit: number): Promise<{ readonly rows: CredentialRow[]; readonly count: number }> =>
  CredentialRow.findAndCountAll({
    where: { leakedAt: { [Op.ne]: null }, revokedAt: null, [Op.or]: [{ expiresAt: null }, { expiresAt: { [Op.gt]: now } }] } as WhereOptions,
    order: [['leakedAt', 'DESC']],
    limit,
    raw: true,
  });
