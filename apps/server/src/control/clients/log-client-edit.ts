import { canonicalJson, type DirectoryChange } from '@virga/core';
import { createHash } from 'node:crypto';
import type { Transaction } from 'sequelize';
import { appendEdit, BEGINNING } from '../../store/change-log.js';
import { nameOfAuthor, refuseStranger, sideOf, type Author } from '../../session/author.js';
import { logPortal } from '../../store/portal-store.js';
import { clientFact, credentialFact } from '../../store/client-store.js';
import { ClientRow, CredentialRow } from '../../store/models/clients.js';

/** What an edit of a client changed for the nodes. */
export interface ClientEdit {
  readonly clientId: string;
  readonly changes: readonly DirectoryChange[];
}

/** Hash of a client as it is stored, its credentials included; no secret is among them. */
async function hashOfClient(id: string, transaction: Transaction): Promise<string> {
  const client = await ClientRow.findByPk(id, { raw: true, transaction });
  if (!client) return BEGINNING;
  const credentials = await CredentialRow.findAll({ where: { clientId: id }, order: [['id', 'ASC']], raw: true, transaction });
  const { owner, contact, description, teamId } = client;
  return createHash('sha256')
    .update(
      canonicalJson([
        clientFact(client),
        owner,
        contact,
        description,
        credentials.map((row) => [credentialFact(row), Boolean(row.superseded)]),
        ...(teamId === null ? [] : [teamId]),
      ]),
    )
    .digest('hex');
}

/**
 * Begins an edit of a client inside a transaction. What is returned writes it into the log of edits, behind what was
 * done, with the same transaction: an edit that is not in the log was not made.
 */
export async function logClientEdit(
  clientId: string,
  by: Author,
  transaction: Transaction,
): Promise<(words: readonly string[], changes: readonly DirectoryChange[]) => Promise<ClientEdit>> {
  const owner = await ClientRow.findByPk(clientId, { attributes: ['teamId'], raw: true, transaction });
  // Of one that is only made there is nothing yet.
  if (owner) refuseStranger(by, 'client', owner);
  const before = await hashOfClient(clientId, transaction);
  return async (words, changes) => {
    const after = await hashOfClient(clientId, transaction);
    if (after !== before) await appendEdit({ at: Date.now(), by: nameOfAuthor(by), words, before, after, changes, takesBack: null, clientId }, transaction);
    const teamId = owner?.teamId ?? (await ClientRow.findByPk(clientId, { attributes: ['teamId'], raw: true, transaction }))?.teamId ?? null;
    if (after !== before && teamId !== null) await logPortal({ by: nameOfAuthor(by), side: sideOf(by), teamId, words: words.join('; ') }, transaction);
    return { clientId, changes };
  };
}

/** What is said of a client. */
export type Described = Pick<ClientRow, 'name' | 'enabled' | 'roles' | 'owner' | 'contact' | 'description' | 'metadata'>;

/** What differs between a client before and after, in words. */
export function wordsOfChange(before: Described, after: Described): string[] {
  const words: string[] = [];
  if (before.name !== after.name) words.push(`${before.name}: is now called ${after.name}`);
  if (Boolean(before.enabled) !== Boolean(after.enabled)) words.push(`${after.name}: switched ${after.enabled ? 'on' : 'off'}`);
  if (before.roles !== after.roles) words.push(`${after.name}: roles ${before.roles} became ${after.roles}`);
  for (const member of ['owner', 'contact', 'description', 'metadata'] as const)
    if (before[member] !== after[member]) words.push(`${after.name}: ${member} changed`);
  return words;
}
