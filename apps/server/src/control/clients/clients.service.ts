import { Injectable } from '@nestjs/common';
import { faultOfNewMetadata, providerClient, type CredentialKind, type DirectoryChange } from '@virga/core';
import type {
  ClientChanged,
  ClientInput,
  ClientPage,
  ClientPatch,
  ClientQuery,
  ClientView,
  CredentialInput,
  CredentialMade,
  CredentialView,
  RotationInput,
} from '@virga/protocol';
import { randomBytes } from 'node:crypto';
import type { Transaction } from 'sequelize';
import { fieldProblem, notFound, problem } from '../../http/problems.js';
import { nameOfAuthor, type Author } from '../../session/author.js';
import { DirectoryFeed } from '../../nodes/directory-feed.js';
import { clientFact, credentialFact, credentialsOf, findClients, sameLookup } from '../../store/client-store.js';
import { forgetClientTraffic } from '../../store/record-store.js';
import { ClientRow, CredentialRow } from '../../store/models/clients.js';
import { TeamRow } from '../../store/models/portal.js';
import { SubscriptionRow } from '../../store/models/subscriptions.js';
import { logPortal, teamNames } from '../../store/portal-store.js';
import { Store } from '../../store/store.js';
import { slug } from '../apis/import-mapping.js';
import { DraftService } from '../releases/draft.service.js';
import { ReleasesService } from '../releases/releases.service.js';
import { credentialView, KIND_WORDS, stateOf, summaryOf } from './client-views.js';
import { logClientEdit, wordsOfChange, type ClientEdit, type Described } from './log-client-edit.js';
import { makeCredential, makeKey, makeSecret, type Made } from './make-credential.js';

const PAGE = 100;
const MAX_CREDENTIALS = 50;
/** Up to how many a team of the portal makes by itself. */
const MADE_BY_TEAM = 10;

interface ToPut {
  readonly clientId: string;
  readonly kind: CredentialKind;
  readonly name: string;
  readonly made: Made;
  readonly by: Author;
  /** The one whose place it takes, which is found by the same thing until it ends; left out for none. */
  readonly replaces?: CredentialRow | null;
}
const HOUR_MS = 3_600_000;

/** Clients and their credentials. What changes here acts at once on every node, apart from any release. */
@Injectable()
export class ClientsService {
  constructor(
    private readonly store: Store,
    private readonly feed: DirectoryFeed,
    private readonly draft: DraftService,
    private readonly releases: ReleasesService,
  ) {}

  async page({ text = '', offset = 0, limit = PAGE }: ClientQuery): Promise<ClientPage> {
    const { rows, total } = await findClients(text, offset, limit);
    const credentials = await credentialsOf(rows.map(({ id }) => id));
    return {
      items: rows.map((row) =>
        summaryOf(
          row,
          credentials.filter(({ clientId }) => clientId === row.id),
          Date.now(),
        ),
      ),
      total,
    };
  }

  async view(id: string): Promise<ClientView> {
    const row = await ClientRow.findByPk(id, { raw: true });
    if (!row) throw notFound('client');
    const credentials = await credentialsOf([id]);
    return {
      ...summaryOf(row, credentials, Date.now()),
      contact: row.contact,
      description: row.description,
      metadata: clientFact(row).metadata,
      teamId: row.teamId,
      teamName: row.teamId === null ? null : ((await teamNames([row.teamId])).get(row.teamId) ?? null),
      credentials: credentials.map((credential) => this.#credentialView(credential, Date.now())),
    };
  }

  /** @param refuse looks at what there is inside the transaction, and throws where one more may not be */
  async add(input: ClientInput, by: Author, teamId: string | null = null, refuse?: (transaction: Transaction) => Promise<void>): Promise<ClientChanged> {
    refuseMetadata(input);
    const changes = await this.store.write(async (transaction) => {
      await refuse?.(transaction);
      const id = await freeId(input.name, transaction);
      const { name, owner = '', contact = '', description = '', enabled = true, roles = [], metadata = {} } = input;
      const lists = { roles: JSON.stringify([...new Set(roles)]), metadata: JSON.stringify(metadata) };
      const facts = { id, name, owner, contact, description, enabled, ...lists, teamId, madeAt: Date.now() };
      const edit = await logClientEdit(id, by, transaction);
      const row = (await ClientRow.create(facts, { transaction })).get({ plain: true }) as ClientRow;
      return edit([`${name}: added as a client`], [{ what: 'client', id, value: clientFact(row) }]);
    });
    return this.#changed(changes);
  }

  async change(id: string, patch: ClientPatch, by: Author): Promise<ClientChanged> {
    refuseMetadata(patch);
    const { roles, metadata, ...rest } = patch;
    const lists = { ...(roles ? { roles: JSON.stringify([...new Set(roles)]) } : {}), ...(metadata ? { metadata: JSON.stringify(metadata) } : {}) };
    const changes = await this.store.write(async (transaction) => {
      const found = await ClientRow.findByPk(id, { transaction });
      if (!found) throw notFound('client');
      const edit = await logClientEdit(id, by, transaction);
      const before: Described = { ...(found.get({ plain: true }) as ClientRow) };
      await found.update({ ...rest, ...lists }, { transaction });
      const row = found.get({ plain: true }) as ClientRow;
      return edit(wordsOfChange(before, row), [{ what: 'client', id, value: clientFact(row) }]);
    });
    return this.#changed(changes);
  }

  /** Gives a client to a team of the portal, or to none. */
  async give(id: string, teamId: string | null, by: string): Promise<ClientView> {
    await this.store.write(async (transaction) => {
      const found = await ClientRow.findByPk(id, { transaction });
      if (!found) throw notFound('client');
      const team = teamId === null ? null : await TeamRow.findByPk(teamId, { raw: true, transaction });
      if (teamId !== null && !team) throw fieldProblem('/teamId', 'There is no such team');
      if (found.teamId === teamId) return;
      const words = team ? `${found.name}: given to the team ${team.name}` : `${found.name}: taken from its team`;
      const edit = await logClientEdit(id, by, transaction);
      const before = found.teamId;
      await found.update({ teamId }, { transaction });
      await edit([words], []);
      // Those who had it read of it too.
      if (before !== null) await logPortal({ by, side: 'operator', teamId: before, decides: true, words }, transaction);
    });
    return this.view(id);
  }

  /** Takes a client away with all its credentials. */
  async remove(id: string, by: Author): Promise<void> {
    const changes = await this.store.write(async (transaction) => {
      const found = await ClientRow.findByPk(id, { raw: true, transaction });
      if (!found) throw notFound('client');
      const edit = await logClientEdit(id, by, transaction);
      const credentials = await CredentialRow.findAll({ attributes: ['id'], where: { clientId: id }, raw: true, transaction });
      const plans = await SubscriptionRow.findAll({ attributes: ['id'], where: { clientId: id }, raw: true, transaction });
      await SubscriptionRow.destroy({ where: { clientId: id }, transaction });
      await CredentialRow.destroy({ where: { clientId: id }, transaction });
      await ClientRow.destroy({ where: { id }, transaction });
      await forgetClientTraffic(this.store, id, transaction);
      const gone = [
        ...credentials.map((row): DirectoryChange => ({ what: 'credential', id: row.id, value: null })),
        ...plans.map((row): DirectoryChange => ({ what: 'subscription', id: row.id, value: null })),
      ];
      return edit([`${found.name}: taken away with its credentials (${credentials.length})`], [...gone, { what: 'client', id, value: null }]);
    });
    await this.feed.tell(changes.changes);
  }

  async addCredential(clientId: string, input: CredentialInput, by: Author): Promise<CredentialMade> {
    const made = makeCredential(input, (asked) => this.#providerClient(asked));
    const { kind, name } = input;
    const added = await this.store.write(async (transaction) => {
      const client = await ClientRow.findByPk(clientId, { raw: true, transaction });
      if (!client) throw notFound('client');
      const edit = await logClientEdit(clientId, by, transaction);
      const { row, changes } = await this.#put({ clientId, kind, name, made, by }, transaction);
      return { row, changes: await edit([`${client.name}: ${KIND_WORDS[kind]} “${name}” ${made.secret === null ? 'taken in' : 'made'}`], changes) };
    });
    return this.#made(added, made.secret);
  }

  /**
   * Makes a key, or a Basic secret of the same name, that takes the place of another. Both are accepted until the overlap is over,
   * and then the new one alone.
   */
  async rotate(clientId: string, id: string, { overlapHours }: RotationInput, by: Author): Promise<CredentialMade> {
    const now = Date.now();
    const rotated = await this.store.write(async (transaction) => {
      const [client, old] = await Promise.all([
        ClientRow.findByPk(clientId, { raw: true, transaction }),
        CredentialRow.findOne({ where: { id, clientId }, transaction }),
      ]);
      if (!client || !old) throw notFound('credential');
      const { kind, name } = old;
      if (kind !== 'key' && kind !== 'basic')
        throw problem(409, 'Only a key or a Basic secret can be rotated', 'Make a new credential, and revoke this one when the new one is in use.');
      if (old.revokedAt !== null) throw problem(409, 'It is revoked', 'Make a new one.');
      if (old.replacedBy !== null) throw problem(409, 'Another takes its place already', 'Rotate that one.');
      const made = kind === 'key' ? makeKey(null) : makeSecret(old.lookup, null);
      const edit = await logClientEdit(clientId, by, transaction);
      const { row, changes } = await this.#put({ clientId, kind, name, made, by, replaces: old }, transaction);
      const ends = now + overlapHours * HOUR_MS;
      await old.update({ replacedBy: row.id, expiresAt: old.expiresAt === null ? ends : Math.min(Number(old.expiresAt), ends) }, { transaction });
      const words = `${client.name}: ${KIND_WORDS[kind]} “${name}” rotated; the old one ends ${overlapHours === 0 ? 'at once' : `in ${overlapHours} h`}`;
      const ending: DirectoryChange = { what: 'credential', id, value: credentialFact(old.get({ plain: true }) as CredentialRow) };
      return { row, changes: await edit([words], [...changes, ending]), secret: made.secret };
    });
    return this.#made(rotated, rotated.secret);
  }

  async #put(
    { clientId, kind, name, made, by, replaces = null }: ToPut,
    transaction: Transaction,
  ): Promise<{ row: CredentialRow; changes: DirectoryChange[] }> {
    const now = Date.now();
    const others = await CredentialRow.findAll({ attributes: ['expiresAt'], where: { clientId, revokedAt: null }, raw: true, transaction });
    const most = typeof by === 'string' ? MAX_CREDENTIALS : MADE_BY_TEAM;
    if (others.filter(({ expiresAt }) => expiresAt === null || Number(expiresAt) > now).length >= most)
      throw problem(409, 'Too many credentials', `A client has at most ${most} that are good. Revoke those that nobody uses.`);
    const same = await sameLookup(kind, made.lookup, transaction);
    const isOwn = (one: CredentialRow): boolean => replaces !== null && one.clientId === clientId;
    const taken = same.find((one) => one.revokedAt === null && !isOwn(one));
    if (taken) throw fieldProblem(FIELDS[kind], `It belongs to the client ${taken.clientId} already; revoke it there first`);
    // What is rotated stays until it ends, and so does what was before it and has not ended yet.
    const ended = same.filter((one) => one.id !== replaces?.id && !(isOwn(one) && stateOf(one, now) === 'good'));
    await CredentialRow.update({ superseded: true }, { where: { id: ended.map((one) => one.id) }, transaction });
    const { lookup, digest, hint, expiresAt } = made;
    const id = randomBytes(8).toString('hex');
    const facts = { id, clientId, kind, name, lookup, digest, hint, superseded: false, expiresAt, revokedAt: null, madeAt: now, madeBy: nameOfAuthor(by) };
    const unused = { lastUsedAt: null, lastUsedFrom: null, replacedBy: null, leakedAt: null, leakedBy: null };
    const row = (await CredentialRow.create({ ...facts, ...unused }, { transaction })).get({ plain: true }) as CredentialRow;
    const gone = ended.map((one): DirectoryChange => ({ what: 'credential', id: one.id, value: null }));
    return { row, changes: [...gone, { what: 'credential', id, value: credentialFact(row) }] };
  }

  async #made({ row, changes }: { row: CredentialRow; changes: ClientEdit }, secret: string | null): Promise<CredentialMade> {
    const changed = await this.#changed(changes);
    return { ...changed, credential: this.#credentialView(row, Date.now()), secret };
  }

  /** Refuses a credential from now on. It stays in the list, so that its use can be named. */
  async revoke(clientId: string, id: string, by: Author): Promise<ClientChanged> {
    const changes = await this.store.write(async (transaction) => {
      const found = await CredentialRow.findOne({ where: { id, clientId }, transaction });
      if (!found) throw notFound('credential');
      if (found.revokedAt !== null) return { clientId, changes: found.superseded ? [] : [{ what: 'credential' as const, id, value: credentialFact(found) }] };
      const client = await ClientRow.findByPk(clientId, { raw: true, transaction });
      const edit = await logClientEdit(clientId, by, transaction);
      await found.update({ revokedAt: Date.now() }, { transaction });
      const row = found.get({ plain: true }) as CredentialRow;
      return edit([`${client?.name ?? clientId}: ${KIND_WORDS[row.kind]} “${row.name}” revoked`], [{ what: 'credential', id, value: credentialFact(row) }]);
    });
    return this.#changed(changes);
  }

  async #changed({ clientId, changes }: ClientEdit): Promise<ClientChanged> {
    const effect = await this.feed.tell(changes);
    return { client: await this.view(clientId), effect };
  }

  #providerClient({ providerId = '', providerClient: client }: CredentialInput): string {
    if (!this.#provider(providerId)) throw fieldProblem('/providerId', 'There is no such provider');
    if (client === undefined) throw fieldProblem('/providerClient', 'Say what the provider calls the client');
    return providerClient(providerId, client);
  }

  #provider(id: string): { readonly name: string } | undefined {
    return [...this.draft.document.providers, ...(this.releases.live?.document.providers ?? [])].find((provider) => provider.id === id);
  }

  #credentialView(row: CredentialRow, now: number): CredentialView {
    const provider = row.kind === 'provider-client' ? (this.#provider(row.lookup.split('\n')[0] ?? '')?.name ?? 'a provider that is no longer trusted') : null;
    return credentialView(row, provider, now);
  }
}

/** @throws HttpException 422 */
function refuseMetadata({ metadata }: { readonly metadata?: unknown }): void {
  const fault = metadata === undefined ? null : faultOfNewMetadata(metadata);
  if (fault !== null) throw fieldProblem('/metadata', `${fault.charAt(0).toUpperCase()}${fault.slice(1)}`);
}

const FIELDS: Readonly<Record<CredentialKind, string>> = { key: '/key', basic: '/name', certificate: '/certificate', 'provider-client': '/providerClient' };

/** An id that people can read, made of the name. */
async function freeId(name: string, transaction: Transaction): Promise<string> {
  const base = slug(name, 'client');
  for (let index = 1; index < 1000; index++) {
    const id = index === 1 ? base : `${base}-${index}`;
    if (!(await ClientRow.findByPk(id, { attributes: ['id'], transaction }))) return id;
  }
  return `${base}-${randomBytes(4).toString('hex')}`;
}
