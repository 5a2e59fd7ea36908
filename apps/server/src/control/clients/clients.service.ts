import { Injectable } from '@nestjs/common';
import { keyForm, providerClient, writeKey, type CredentialKind, type DirectoryChange } from '@virga/core';
import type {
  ClientChanged,
  ClientInput,
  ClientPage,
  ClientPatch,
  ClientQuery,
  ClientSummary,
  ClientView,
  CredentialInput,
  CredentialMade,
  CredentialView,
} from '@virga/protocol';
import { createHash, randomBytes, X509Certificate } from 'node:crypto';
import type { Transaction } from 'sequelize';
import { fieldProblem, notFound, problem } from '../../http/problems.js';
import { DirectoryFeed } from '../../nodes/directory-feed.js';
import { clientFact, credentialFact, credentialsOf, findClients, sameLookup } from '../../store/client-store.js';
import { logClientEdit, wordsOfChange, type ClientEdit, type Described } from './log-client-edit.js';
import { ClientRow, CredentialRow } from '../../store/models/clients.js';
import { Store } from '../../store/store.js';
import { slug } from '../apis/import-mapping.js';
import { DraftService } from '../releases/draft.service.js';
import { ReleasesService } from '../releases/releases.service.js';

const PAGE = 100;
const MAX_CREDENTIALS = 50;
/** Characters of a key that are kept to recognise it by; the rest cannot be guessed from them. */
const HINT = 10;

const sha256 = (value: string | Buffer): string => createHash('sha256').update(value).digest('base64url');

/** What a new credential is found by, and its secret, which nobody keeps. */
interface Made {
  readonly lookup: string;
  readonly digest: string | null;
  readonly hint: string;
  readonly secret: string | null;
  readonly expiresAt: number | null;
}

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
      credentials: credentials.map((credential) => this.#credentialView(credential, Date.now())),
    };
  }

  async add(input: ClientInput, by: string): Promise<ClientChanged> {
    const changes = await this.store.write(async (transaction) => {
      const id = await freeId(input.name, transaction);
      const { name, owner = '', contact = '', description = '', enabled = true, roles = [] } = input;
      const facts = { id, name, owner, contact, description, enabled, roles: JSON.stringify([...new Set(roles)]), madeAt: Date.now() };
      const edit = await logClientEdit(id, by, transaction);
      const row = (await ClientRow.create(facts, { transaction })).get({ plain: true }) as ClientRow;
      return edit([`${name}: added as a client`], [{ what: 'client', id, value: clientFact(row) }]);
    });
    return this.#changed(changes);
  }

  async change(id: string, patch: ClientPatch, by: string): Promise<ClientChanged> {
    const { roles, ...rest } = patch;
    const changes = await this.store.write(async (transaction) => {
      const found = await ClientRow.findByPk(id, { transaction });
      if (!found) throw notFound('client');
      const edit = await logClientEdit(id, by, transaction);
      const before: Described = { ...(found.get({ plain: true }) as ClientRow) };
      await found.update({ ...rest, ...(roles ? { roles: JSON.stringify([...new Set(roles)]) } : {}) }, { transaction });
      const row = found.get({ plain: true }) as ClientRow;
      return edit(wordsOfChange(before, row), [{ what: 'client', id, value: clientFact(row) }]);
    });
    return this.#changed(changes);
  }

  /** Takes a client away with all its credentials. */
  async remove(id: string, by: string): Promise<void> {
    const changes = await this.store.write(async (transaction) => {
      const found = await ClientRow.findByPk(id, { raw: true, transaction });
      if (!found) throw notFound('client');
      const edit = await logClientEdit(id, by, transaction);
      const credentials = await CredentialRow.findAll({ attributes: ['id'], where: { clientId: id }, raw: true, transaction });
      await CredentialRow.destroy({ where: { clientId: id }, transaction });
      await ClientRow.destroy({ where: { id }, transaction });
      const gone = credentials.map((row): DirectoryChange => ({ what: 'credential', id: row.id, value: null }));
      return edit([`${found.name}: taken away with its credentials (${credentials.length})`], [...gone, { what: 'client', id, value: null }]);
    });
    await this.feed.tell(changes.changes);
  }

  async addCredential(clientId: string, input: CredentialInput, by: string): Promise<CredentialMade> {
    const made = this.#make(input);
    const id = randomBytes(8).toString('hex');
    const { kind, name } = input;
    const added = await this.store.write(async (transaction) => {
      const client = await ClientRow.findByPk(clientId, { raw: true, transaction });
      if (!client) throw notFound('client');
      const edit = await logClientEdit(clientId, by, transaction);
      if ((await CredentialRow.count({ where: { clientId, revokedAt: null }, transaction })) >= MAX_CREDENTIALS)
        throw problem(409, 'Too many credentials', `A client has at most ${MAX_CREDENTIALS} that are not revoked. Revoke those that nobody uses.`);
      const before = await sameLookup(kind, made.lookup, transaction);
      const good = before.find(({ revokedAt }) => revokedAt === null);
      if (good) throw fieldProblem(FIELDS[kind], `It belongs to the client ${good.clientId} already; revoke it there first`);
      await CredentialRow.update({ superseded: true }, { where: { id: before.map((one) => one.id) }, transaction });
      const { lookup, digest, hint, expiresAt } = made;
      const facts = { id, clientId, kind, name, lookup, digest, hint, superseded: false, expiresAt, revokedAt: null, madeAt: Date.now(), madeBy: by };
      const row = (await CredentialRow.create(facts, { transaction })).get({ plain: true }) as CredentialRow;
      const replaced = before.map((one): DirectoryChange => ({ what: 'credential', id: one.id, value: null }));
      const changes = await edit([`${client.name}: ${WORDS[kind]} “${name}” made`], [...replaced, { what: 'credential', id, value: credentialFact(row) }]);
      return { row, changes };
    });
    const changed = await this.#changed(added.changes);
    return { ...changed, credential: this.#credentialView(added.row, Date.now()), secret: made.secret };
  }

  /** Refuses a credential from now on. It stays in the list, so that its use can be named. */
  async revoke(clientId: string, id: string, by: string): Promise<ClientChanged> {
    const changes = await this.store.write(async (transaction) => {
      const found = await CredentialRow.findOne({ where: { id, clientId }, transaction });
      if (!found) throw notFound('credential');
      if (found.revokedAt !== null) return { clientId, changes: found.superseded ? [] : [{ what: 'credential' as const, id, value: credentialFact(found) }] };
      const client = await ClientRow.findByPk(clientId, { raw: true, transaction });
      const edit = await logClientEdit(clientId, by, transaction);
      await found.update({ revokedAt: Date.now() }, { transaction });
      const row = found.get({ plain: true }) as CredentialRow;
      return edit([`${client?.name ?? clientId}: ${WORDS[row.kind]} “${row.name}” revoked`], [{ what: 'credential', id, value: credentialFact(row) }]);
    });
    return this.#changed(changes);
  }

  async #changed({ clientId, changes }: ClientEdit): Promise<ClientChanged> {
    const effect = await this.feed.tell(changes);
    return { client: await this.view(clientId), effect };
  }

  #make(input: CredentialInput): Made {
    const { kind, name } = input;
    const expiresAt = input.expiresAt ?? null;
    if (expiresAt !== null && expiresAt <= Date.now()) throw fieldProblem('/expiresAt', 'That time is over');
    switch (kind) {
      case 'key': {
        const secret = writeKey(randomBytes(64));
        if (keyForm(secret) !== 'key') throw new Error('invariant: a key that was made has the form of one');
        return { lookup: sha256(secret), digest: null, hint: secret.slice(0, HINT), secret, expiresAt };
      }
      case 'basic': {
        if (name.includes(':')) throw fieldProblem('/name', 'A name has no colon: the colon stands between name and secret (RFC 7617 section 2)');
        const secret = randomBytes(24).toString('base64url');
        return { lookup: name, digest: sha256(secret), hint: name, secret, expiresAt };
      }
      case 'certificate':
        return certificateOf(input.certificate ?? '', expiresAt);
      case 'provider-client': {
        const { providerId = '', providerClient: client } = input;
        if (!this.#provider(providerId)) throw fieldProblem('/providerId', 'There is no such provider');
        if (client === undefined) throw fieldProblem('/providerClient', 'Say what the provider calls the client');
        if (expiresAt !== null) throw fieldProblem('/expiresAt', 'A client of a provider has no end of its own; its tokens have');
        return { lookup: providerClient(providerId, client), digest: null, hint: client, secret: null, expiresAt: null };
      }
    }
  }

  #provider(id: string): { readonly name: string } | undefined {
    return [...this.draft.document.providers, ...(this.releases.live?.document.providers ?? [])].find((provider) => provider.id === id);
  }

  #credentialView(row: CredentialRow, now: number): CredentialView {
    const { id, kind, name, expiresAt, revokedAt, madeAt, madeBy } = credentialTimes(row);
    const provider = kind === 'provider-client' ? (this.#provider(row.lookup.split('\n')[0] ?? '')?.name ?? 'a provider that is no longer trusted') : null;
    return {
      id,
      kind,
      name,
      hint: provider === null ? row.hint : `${row.hint} of ${provider}`,
      state: stateOf(row, now),
      expiresAt,
      revokedAt,
      madeAt,
      madeBy,
    };
  }
}

const WORDS: Readonly<Record<CredentialKind, string>> = {
  key: 'the key',
  basic: 'the Basic secret',
  certificate: 'the certificate',
  'provider-client': 'the client of a provider',
};

const FIELDS: Readonly<Record<CredentialKind, string>> = { key: '/name', basic: '/name', certificate: '/certificate', 'provider-client': '/providerClient' };

const credentialTimes = (row: CredentialRow) => ({
  ...row,
  expiresAt: row.expiresAt === null ? null : Number(row.expiresAt),
  revokedAt: row.revokedAt === null ? null : Number(row.revokedAt),
  madeAt: Number(row.madeAt),
});

function stateOf({ revokedAt, expiresAt }: CredentialRow, now: number): CredentialView['state'] {
  if (revokedAt !== null) return 'revoked';
  return expiresAt !== null && Number(expiresAt) <= now ? 'expired' : 'good';
}

function summaryOf(row: ClientRow, credentials: readonly CredentialRow[], now: number): ClientSummary {
  const good = (kind: CredentialKind): number => credentials.filter((one) => one.kind === kind && stateOf(one, now) === 'good').length;
  return {
    ...clientFact(row),
    roles: [...clientFact(row).roles],
    owner: row.owner,
    keys: good('key'),
    secrets: good('basic'),
    certificates: good('certificate'),
    providerClients: good('provider-client'),
    madeAt: Number(row.madeAt),
  };
}

/** A certificate by its thumbprint (RFC 8705 section 3.1). It ends with its own validity, or sooner. */
function certificateOf(pem: string, expiresAt: number | null): Made {
  let certificate: X509Certificate;
  try {
    certificate = new X509Certificate(pem);
  } catch {
    throw fieldProblem('/certificate', 'Paste one certificate in PEM form, from “-----BEGIN CERTIFICATE-----” to its end');
  }
  const ends = Date.parse(certificate.validTo);
  if (!(ends > Date.now())) throw fieldProblem('/certificate', `The certificate was valid until ${certificate.validTo}`);
  const thumbprint = sha256(certificate.raw);
  return { lookup: thumbprint, digest: null, hint: thumbprint, secret: null, expiresAt: expiresAt === null ? ends : Math.min(expiresAt, ends) };
}

/** An id that people can read, made of the name. */
async function freeId(name: string, transaction: Transaction): Promise<string> {
  const base = slug(name, 'client');
  for (let index = 1; index < 1000; index++) {
    const id = index === 1 ? base : `${base}-${index}`;
    if (!(await ClientRow.findByPk(id, { attributes: ['id'], transaction }))) return id;
  }
  return `${base}-${randomBytes(4).toString('hex')}`;
}
