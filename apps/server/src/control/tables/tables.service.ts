import { Injectable } from '@nestjs/common';
import { canonicalJson, compileCondition, faultOfNewTable, OPEN_SCOPE, TABLE_BOUNDS, type ConditionUse, type TableFact } from '@virga/core';
import type { TableChanged, TableInput, TableList, TableSummary, TableView } from '@virga/protocol';
import { createHash } from 'node:crypto';
import { fieldProblem, notFound, problem } from '../../http/problems.js';
import { DirectoryFeed } from '../../nodes/directory-feed.js';
import type { EditedBy } from '../../session/edited-by.js';
import { appendEdit, BEGINNING } from '../../store/change-log.js';
import { TableRow } from '../../store/models/tables.js';
import { Store } from '../../store/store.js';
import { tableFact } from '../../store/table-store.js';
import { DraftService } from '../releases/draft.service.js';

/** Tables that conditions look at. What changes here acts at once on every node, apart from any release. */
@Injectable()
export class TablesService {
  constructor(
    private readonly store: Store,
    private readonly feed: DirectoryFeed,
    private readonly draft: DraftService,
  ) {}

  async list(): Promise<TableList> {
    const rows = await TableRow.findAll({
      attributes: ['name', 'description', 'keyColumn', 'columns', 'rowCount', 'changedAt', 'changedBy'],
      order: [['name', 'ASC']],
      raw: true,
    });
    return { items: rows.map((row) => this.#summary(row)) };
  }

  async view(name: string): Promise<TableView> {
    const row = await TableRow.findByPk(name, { raw: true });
    if (!row) throw notFound('table');
    return { ...this.#summary(row), revision: revisionOf(row), rows: JSON.parse(row.rows) as string[][] };
  }

  async set(name: string, { description, key, columns, rows }: TableInput, { by, ifMatch }: EditedBy): Promise<TableChanged> {
    const odd = rows.findIndex((row) => !row.every((value: unknown) => typeof value === 'string'));
    if (odd >= 0) throw fieldProblem(`/rows/${odd}`, `row ${odd + 1} has a value that is no text`);
    const fact: TableFact = { id: name, key, columns, rows };
    const fault = faultOfNewTable(fact);
    if (fault) throw fieldProblem(fault.pointer, fault.says);
    await this.store.write(async (transaction) => {
      const found = await TableRow.findByPk(name, { transaction });
      const before = found ? hashOf(found) : BEGINNING;
      refuseStale(found, ifMatch);
      if (!found && (await TableRow.count({ transaction })) >= TABLE_BOUNDS.tables)
        throw problem(409, 'Too many tables', `There are at most ${TABLE_BOUNDS.tables}. Take one away that nobody asks.`);
      const values = { name, description, keyColumn: key, columns: JSON.stringify(columns), rows: JSON.stringify(rows), rowCount: rows.length };
      const facts = { ...values, changedAt: Date.now(), changedBy: by };
      const row = found ? await found.update(facts, { transaction }) : await TableRow.create(facts, { transaction });
      const after = hashOf(row);
      if (after === before) return;
      const words = [
        found
          ? `Table ${name}: set, ${rows.length} ${rows.length === 1 ? 'row' : 'rows'}`
          : `Table ${name}: made, ${rows.length} ${rows.length === 1 ? 'row' : 'rows'}`,
      ];
      await appendEdit({ at: Date.now(), by, words, before, after, changes: [], takesBack: null, clientId: `table ${name}` }, transaction);
    });
    const effect = await this.feed.tell([{ what: 'table', id: name, value: fact }]);
    return { table: await this.view(name), effect };
  }

  async remove(name: string, { by, ifMatch }: EditedBy): Promise<void> {
    await this.store.write(async (transaction) => {
      const found = await TableRow.findByPk(name, { transaction });
      if (!found) throw notFound('table');
      refuseStale(found, ifMatch);
      const words = [`Table ${name}: taken away`];
      await appendEdit(
        { at: Date.now(), by, words, before: hashOf(found), after: BEGINNING, changes: [], takesBack: null, clientId: `table ${name}` },
        transaction,
      );
      await found.destroy({ transaction });
    });
    await this.feed.tell([{ what: 'table', id: name, value: null }]);
  }

  #summary({ name, description, keyColumn, columns, rowCount, changedAt, changedBy }: Omit<TableRow, 'rows'>): TableSummary {
    return {
      name,
      description,
      key: keyColumn,
      columns: JSON.parse(columns) as string[],
      rowCount,
      changedAt: Number(changedAt),
      changedBy,
      askedBy: this.#askedBy(name),
    };
  }

  /** Conditions of the draft that look at a table. */
  #askedBy(table: string): string[] {
    const { conditions, apis } = this.draft.document;
    const own = apis.flatMap((api) => [...api.conditions, ...api.operations.flatMap((operation) => operation.conditions ?? [])]);
    const sources = [...conditions, ...own.filter((use): use is Extract<ConditionUse, { kind: 'own' }> => use.kind === 'own')];
    const asking = sources.filter(({ source }) => {
      const compiled = source.includes(table) ? compileCondition(source, OPEN_SCOPE) : [];
      return 'evaluate' in compiled && compiled.looksAt.some(([root, name]) => root === 'resource' && name === table);
    });
    return [...new Set(asking.map(({ name }) => name))];
  }
}

const hashOf = (row: TableRow): string =>
  createHash('sha256')
    .update(canonicalJson([tableFact(row), row.description]))
    .digest('hex');
const revisionOf = (row: TableRow): string => hashOf(row).slice(0, 20);

function refuseStale(found: TableRow | null, ifMatch: string | null): void {
  if (ifMatch === null || (found && revisionOf(found) === ifMatch)) return;
  throw problem(
    412,
    'Somebody else changed the table',
    found ? `${found.changedBy} changed it meanwhile. Read it again, then set it.` : 'It was taken away meanwhile.',
  );
}
