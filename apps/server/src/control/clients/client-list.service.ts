import { Injectable } from '@nestjs/common';
import { faultOfNewMetadata, readTypedJson, type DirectoryChange } from '@virga/core';
import { ClientInput, CLIENT_LIST_BOUNDS, type ClientListInput, type ClientListLine, type ClientListReport } from '@virga/protocol';
import { plainToInstance } from 'class-transformer';
import { validateSync } from 'class-validator';
import { parse } from 'csv-parse/sync';
import { stringify } from 'csv-stringify/sync';
import { randomBytes } from 'node:crypto';
import { Op, type Transaction } from 'sequelize';
import { fieldProblem } from '../../http/problems.js';
import { DirectoryFeed } from '../../nodes/directory-feed.js';
import { appendEdit, BEGINNING } from '../../store/change-log.js';
import { clientFact, credentialFact } from '../../store/client-store.js';
import { ClientRow, CredentialRow } from '../../store/models/clients.js';
import { Store } from '../../store/store.js';
import { slug } from '../apis/import-mapping.js';
import { stateOf } from './client-views.js';
import { bringKey, makeKey, sha256, type Made } from './make-credential.js';

const COLUMNS = ['id', 'name', 'owner', 'contact', 'description', 'enabled', 'roles', 'metadata', 'key_name', 'key'] as const;
type Column = (typeof COLUMNS)[number];
type Cells = Readonly<Partial<Record<Column, string>>>;

/** Rows that are written, and changes that are told, at one time. */
const CHUNK = 400;
const YES: ReadonlySet<string> = new Set(['yes', 'true', '1', 'on']);
const NO: ReadonlySet<string> = new Set(['no', 'false', '0', 'off']);

/** One line as it is read: what it says of a client, and its key. */
interface Read {
  readonly line: number;
  readonly cells: Cells;
  readonly facts: ClientInput | null;
  readonly made: Made | null;
  readonly problems: string[];
}

/** Clients as CSV, in and out. */
@Injectable()
export class ClientListService {
  constructor(
    private readonly store: Store,
    private readonly feed: DirectoryFeed,
  ) {}

  /** Takes a list in: all of it, or nothing. @throws HttpException 422 where it is no list of clients at all */
  async take({ text, tryOnly }: ClientListInput, by: string): Promise<ClientListReport> {
    const read = readLines(text);
    const done = await this.store.write((transaction) => this.#take(read, tryOnly, by, transaction));
    for (let at = 0; at < done.changes.length; at += CHUNK) await this.feed.tell(done.changes.slice(at, at + CHUNK));
    return done.report;
  }

  async #take(
    read: readonly Read[],
    tryOnly: boolean,
    by: string,
    transaction: Transaction,
  ): Promise<{ report: ClientListReport; changes: DirectoryChange[] }> {
    const known = new Map((await ClientRow.findAll({ raw: true, transaction })).map((row) => [row.id, row]));
    const named = new Map([...known.values()].map(({ id, name }) => [name, id]));
    const taken = await takenKeys(read, transaction);
    const ids = new Set(known.keys());
    const now = Date.now();
    const lines: ClientListLine[] = [];
    const rows: { client: ClientRow; becomes: 'added' | 'changed' }[] = [];
    const keys: CredentialRow[] = [];
    const lookups = new Set<string>();
    const seen = new Set<string>();
    for (const { line, cells, facts, made, problems } of read) {
      const found = cells.id ? (known.get(cells.id) ?? null) : null;
      const name = cells.name ?? found?.name ?? '';
      if (cells.id && !/^[a-z0-9][a-z0-9-]{0,99}$/.test(cells.id)) problems.push('id: small letters, digits and dashes, at most 100');
      if (cells.id && seen.has(cells.id)) problems.push('id: it stands in an earlier line');
      if (!cells.id && (named.has(name) || seen.has(`name ${name}`))) problems.push('name: there is a client of this name; name its id to change it');
      if (made && (taken.has(made.lookup) || lookups.has(made.lookup))) problems.push('key: it belongs to another client already');
      seen.add(cells.id ? cells.id : `name ${name}`);
      if (facts === null || problems.length > 0) {
        lines.push({ line, name, becomes: 'wrong', problems, clientId: null, key: null });
        continue;
      }
      const client = rowOf(facts, cells, found, found?.id ?? (cells.id || freeId(name, ids)), now);
      ids.add(client.id);
      if (made) lookups.add(made.lookup);
      const becomes = found === null ? 'added' : sameRow(found, client) && made === null ? 'same' : 'changed';
      if (becomes !== 'same') rows.push({ client, becomes });
      if (made) keys.push(keyRow(client.id, cells.key_name || 'brought in', made, by, now));
      lines.push({ line, name, becomes, problems, clientId: client.id, key: tryOnly ? null : (made?.secret ?? null) });
    }
    const count = (becomes: ClientListLine['becomes']): number => lines.filter((one) => one.becomes === becomes).length;
    const done = !tryOnly && count('wrong') === 0;
    // A key that was not made is not shown.
    const shown = done ? lines : lines.map((one) => ({ ...one, key: null }));
    const report: ClientListReport = { done, added: count('added'), changed: count('changed'), same: count('same'), wrong: count('wrong'), lines: shown };
    if (!done || rows.length === 0) return { report, changes: [] };
    await write(rows, keys, transaction);
    const changes = [
      ...rows.map(({ client }): DirectoryChange => ({ what: 'client', id: client.id, value: clientFact(client) })),
      ...keys.map((row): DirectoryChange => ({ what: 'credential', id: row.id, value: credentialFact(row) })),
    ];
    const words = [
      `A list of clients: ${report.added} added, ${report.changed} changed, ${keys.length} keys`,
      ...rows.map(({ client, becomes }) => `${client.name}: ${becomes}`),
    ];
    await appendEdit({ at: now, by, words, before: BEGINNING, after: hashOf(changes), changes: [], takesBack: null, clientId: 'list of clients' }, transaction);
    return { report, changes };
  }

  /** All clients as CSV; keys are not in it, since nobody has them. What a spreadsheet would take for a formula is written with a sign in front. */
  async give(): Promise<string> {
    const rows = await ClientRow.findAll({ order: [['name', 'ASC']], raw: true });
    const credentials = await CredentialRow.findAll({ attributes: ['clientId', 'kind', 'expiresAt', 'revokedAt', 'lastUsedAt'], raw: true });
    const byClient = groupBy(credentials);
    const now = Date.now();
    return stringify(
      rows.map((row) => {
        const own = byClient.get(row.id) ?? [];
        const used = Math.max(0, ...own.map(({ lastUsedAt }) => Number(lastUsedAt ?? 0)));
        return {
          id: row.id,
          name: row.name,
          owner: row.owner,
          contact: row.contact,
          description: row.description,
          enabled: row.enabled ? 'yes' : 'no',
          roles: (JSON.parse(row.roles) as string[]).join(' '),
          metadata: row.metadata === '{}' ? '' : row.metadata,
          good_credentials: String(own.filter((one) => stateOf(one, now) === 'good').length),
          last_used: used === 0 ? '' : new Date(used).toISOString(),
        };
      }),
      { header: true, escape_formulas: true },
    );
  }
}

function groupBy(credentials: readonly CredentialRow[]): Map<string, CredentialRow[]> {
  const groups = new Map<string, CredentialRow[]>();
  for (const one of credentials) {
    const group = groups.get(one.clientId);
    if (group) group.push(one);
    else groups.set(one.clientId, [one]);
  }
  return groups;
}

function readLines(text: string): Read[] {
  let records: { record: Record<string, string>; info: { lines: number } }[];
  try {
    records = parse(text, {
      bom: true,
      columns: (names: string[]) => {
        const twice = names.find((name, index) => names.indexOf(name) !== index);
        if (twice !== undefined) throw new Error(`two columns are called ${twice.slice(0, 60)}, and readers differ in which one counts`);
        return names;
      },
      info: true,
      skip_empty_lines: true,
      trim: true,
      max_record_size: 100_000,
      relax_column_count: false,
    }) as never;
  } catch (error) {
    throw fieldProblem('/text', `It cannot be read as CSV: ${(error as Error).message}`);
  }
  const [first] = records;
  if (!first) throw fieldProblem('/text', `The first line names columns, and each line below is a client; columns are ${COLUMNS.join(', ')}`);
  const unknown = Object.keys(first.record).filter(
    (name) => !(COLUMNS as readonly string[]).includes(name) && name !== 'good_credentials' && name !== 'last_used',
  );
  if (unknown.length > 0) throw fieldProblem('/text', `There is no column ${unknown.slice(0, 5).join(', ')}; columns are ${COLUMNS.join(', ')}`);
  if (!('name' in first.record) && !('id' in first.record)) throw fieldProblem('/text', 'One column is called name');
  if (records.length > CLIENT_LIST_BOUNDS.lines) throw fieldProblem('/text', `At most ${CLIENT_LIST_BOUNDS.lines} clients are taken in at one time`);
  return records.map(({ record, info }) => readLine(record as Cells, info.lines));
}

function readLine(given: Cells, line: number): Read {
  // What was written out with a sign in front of a formula comes back without it.
  const cells = Object.fromEntries(Object.entries(given).map(([name, value]) => [name, value.replace(/^'(?=[=+\-@\t\r])/, '')])) as Cells;
  const problems: string[] = [];
  let metadata: unknown;
  if (cells.metadata) {
    const read = readTypedJson(cells.metadata);
    metadata = read.kind === 'value' ? read.value : undefined;
    const fault = read.kind === 'value' ? faultOfNewMetadata(metadata) : `it cannot be read: ${read.says}`;
    if (fault !== null) problems.push(`metadata: ${fault}`);
  }
  const enabled = (cells.enabled ?? '').toLowerCase();
  if (enabled !== '' && !YES.has(enabled) && !NO.has(enabled)) problems.push('enabled: yes or no');
  const facts = plainToInstance(ClientInput, {
    // A line that changes a client need not say its name again.
    name: cells.name ?? (cells.id ? 'as it was' : ''),
    owner: cells.owner ?? '',
    contact: cells.contact ?? '',
    description: cells.description ?? '',
    enabled: !NO.has(enabled),
    roles: (cells.roles ?? '').split(/[\s;,]+/).filter(Boolean),
    ...(problems.length === 0 && metadata !== undefined ? { metadata } : {}),
  });
  for (const { property, constraints } of validateSync(facts)) problems.push(`${property}: ${Object.values(constraints ?? {})[0] ?? 'it cannot be used'}`);
  let made: Made | null = null;
  if (cells.key === 'new') made = makeKey(null);
  else if (cells.key) {
    const brought = bringKey(cells.key, null);
    if ('fault' in brought) problems.push(`key: ${brought.fault}`);
    else made = brought;
  }
  return { line, cells, facts: problems.length === 0 ? facts : null, made, problems };
}

/** What a client becomes: columns that the list does not have stay as they were. */
function rowOf(facts: ClientInput, cells: Cells, found: ClientRow | null, id: string, now: number): ClientRow {
  const has = (column: Column): boolean => cells[column] !== undefined;
  return {
    id,
    name: has('name') || !found ? facts.name : found.name,
    owner: has('owner') || !found ? (facts.owner ?? '') : found.owner,
    contact: has('contact') || !found ? (facts.contact ?? '') : found.contact,
    description: has('description') || !found ? (facts.description ?? '') : found.description,
    enabled: cells.enabled || !found ? (facts.enabled ?? true) : Boolean(found.enabled),
    roles: has('roles') || !found ? JSON.stringify([...new Set(facts.roles ?? [])]) : found.roles,
    metadata: has('metadata') || !found ? JSON.stringify(facts.metadata ?? {}) : found.metadata,
    madeAt: found?.madeAt ?? now,
  } as ClientRow;
}

const sameRow = (one: ClientRow, other: ClientRow): boolean =>
  (['name', 'owner', 'contact', 'description', 'roles', 'metadata'] as const).every((member) => one[member] === other[member]) &&
  Boolean(one.enabled) === Boolean(other.enabled);

function keyRow(clientId: string, name: string, { lookup, hint }: Made, by: string, now: number): CredentialRow {
  const facts = { id: randomBytes(8).toString('hex'), clientId, kind: 'key', name: name.slice(0, 100), lookup, digest: null, hint, superseded: false };
  const unused = { lastUsedAt: null, lastUsedFrom: null, replacedBy: null, leakedAt: null, leakedBy: null };
  return { ...facts, ...unused, expiresAt: null, revokedAt: null, madeAt: now, madeBy: by } as unknown as CredentialRow;
}

function freeId(name: string, ids: ReadonlySet<string>): string {
  const base = slug(name, 'client');
  for (let index = 1; ; index++) {
    const id = index === 1 ? base : `${base}-${index}`;
    if (!ids.has(id)) return id;
  }
}

/** Digests among these that belong to somebody. */
async function takenKeys(read: readonly Read[], transaction: Transaction): Promise<Set<string>> {
  const lookups = read.flatMap(({ made }) => (made ? [made.lookup] : []));
  const taken = new Set<string>();
  for (let at = 0; at < lookups.length; at += CHUNK) {
    const lookup = lookups.slice(at, at + CHUNK);
    for (const row of await CredentialRow.findAll({ attributes: ['lookup'], where: { kind: 'key', superseded: false, lookup }, raw: true, transaction }))
      taken.add(row.lookup);
  }
  return taken;
}

async function write(rows: readonly { client: ClientRow; becomes: string }[], keys: readonly CredentialRow[], transaction: Transaction): Promise<void> {
  const added = rows.filter(({ becomes }) => becomes === 'added').map(({ client }) => client);
  for (let at = 0; at < added.length; at += CHUNK) await ClientRow.bulkCreate(added.slice(at, at + CHUNK) as never, { transaction });
  for (const { client, becomes } of rows)
    if (becomes === 'changed') await ClientRow.update({ ...client }, { where: { id: { [Op.eq]: client.id } }, transaction });
  for (let at = 0; at < keys.length; at += CHUNK) await CredentialRow.bulkCreate(keys.slice(at, at + CHUNK) as never, { transaction });
}

const hashOf = (changes: readonly DirectoryChange[]): string => Buffer.from(sha256(JSON.stringify(changes)), 'base64url').toString('hex');
