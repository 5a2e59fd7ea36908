import { closeSync, openSync, readSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { QueryTypes, type Transaction } from 'sequelize';
import { Sequelize } from 'sequelize-typescript';
import { SequelizeStorage, Umzug } from 'umzug';
import { MIGRATIONS } from './migrations/index.js';
import * as configuration from './models/configuration.js';
import * as changes from './models/changes.js';
import * as clients from './models/clients.js';
import * as portal from './models/portal.js';
import * as records from './models/records.js';
import * as subscriptions from './models/subscriptions.js';
import * as tables from './models/tables.js';
import * as tokens from './models/tokens.js';
import * as trials from './models/trials.js';
import { FolderLock } from './folder-lock.js';
import { StoreError } from './store-error.js';

export { StoreError };

/** The SQLite database of the control plane. All SQL is in this folder. Writes go one after another. */
export class Store {
  readonly sequelize: Sequelize;
  readonly #lock: FolderLock;
  #last: Promise<unknown> = Promise.resolve();
  #problem: string | null = null;

  private constructor(sequelize: Sequelize, lock: FolderLock) {
    this.sequelize = sequelize;
    this.#lock = lock;
  }

  /** Why nothing can be written now, in words; null when the last write went through. */
  get problem(): string | null {
    return this.#problem;
  }

  /**
   * Opens the database in a folder and brings it up to date.
   * @throws StoreError for a folder that another control plane uses, a file that is not a database, is damaged, or was written by a newer version
   */
  static async open(folder: string): Promise<Store> {
    const file = join(folder, 'virga.sqlite');
    const lock = await FolderLock.take(folder);
    const sequelize = new Sequelize({
      dialect: 'sqlite',
      storage: file,
      logging: false,
      models: [
        ...Object.values(configuration),
        ...Object.values(changes),
        ...Object.values(clients),
        ...Object.values(portal),
        ...Object.values(records),
        ...Object.values(subscriptions),
        ...Object.values(tables),
        ...Object.values(tokens),
        ...Object.values(trials),
      ],
      define: { timestamps: false, underscored: true },
    });
    const store = new Store(sequelize, lock);
    try {
      refuseLostMain(file);
      await sequelize.query('PRAGMA journal_mode = WAL');
      await sequelize.query('PRAGMA synchronous = NORMAL');
      await sequelize.query('PRAGMA busy_timeout = 5000');
      await sequelize.query('PRAGMA foreign_keys = ON');
      await store.#check(file);
      await store.#migrate(file);
    } catch (error) {
      await sequelize.close().catch(() => undefined);
      await lock.release();
      if (error instanceof StoreError) throw error;
      throw new StoreError(`${file} cannot be used: ${(error as Error).message}. Move it away to begin anew, or restore a backup.`);
    }
    return store;
  }

  async #check(file: string): Promise<void> {
    const rows = await this.sequelize.query<{ quick_check: string }>('PRAGMA quick_check(1)', { type: QueryTypes.SELECT });
    const said = rows[0]?.quick_check ?? 'nothing';
    if (said !== 'ok') throw new StoreError(`${file} is damaged (${said}). Restore a backup.`);
  }

  async #migrate(file: string): Promise<void> {
    const storage = new SequelizeStorage({ sequelize: this.sequelize, tableName: 'migrations' });
    const umzug = new Umzug({
      migrations: MIGRATIONS.map(({ name, up }) => ({ name, up: async () => up(this.sequelize.getQueryInterface()) })),
      storage,
      logger: undefined,
    });
    const known = new Set(MIGRATIONS.map((migration) => migration.name));
    // Asked of the storage itself: the library lists only migrations that it knows.
    const unknown = (await storage.executed()).filter((name) => !known.has(name));
    if (unknown.length > 0)
      throw new StoreError(`${file} was written by a newer version (it has ${unknown.join(', ')}). Start that version, or restore a backup from before.`);
    await umzug.up();
  }

  /** Runs one change in a transaction, after all changes begun before it. */
  write<T>(change: (transaction: Transaction) => Promise<T>): Promise<T> {
    const run = this.#last.then(() => this.sequelize.transaction(change));
    this.#last = run.then(
      () => (this.#problem = null),
      (error: unknown) => (this.#problem = storageProblem(error) ?? this.#problem),
    );
    return run;
  }

  async close(): Promise<void> {
    await this.#last;
    await this.sequelize.close();
    await this.#lock.release();
  }
}

const PROBLEMS: Readonly<Record<string, string>> = {
  SQLITE_FULL: 'the disk is full',
  SQLITE_BUSY: 'another program holds the database',
  SQLITE_LOCKED: 'another program holds the database',
  SQLITE_READONLY: 'the database may only be read',
  SQLITE_IOERR: 'the disk cannot be written or read',
  SQLITE_CANTOPEN: 'the database cannot be opened',
};

/** Why an error means that the storage does not take writes, in words; null for any other error. */
export function storageProblem(error: unknown): string | null {
  const { code, parent } = error as { code?: string; parent?: { code?: string } };
  return PROBLEMS[parent?.code ?? code ?? ''] ?? null;
}

/**
 * Refuses a main file that is no database while its log has data: opened as it is, everything in the log would be
 * thrown away and the control plane begin anew.
 * @throws StoreError
 */
function refuseLostMain(file: string): void {
  const sizeOf = (path: string): number => statSync(path, { throwIfNoEntry: false })?.size ?? 0;
  if (sizeOf(`${file}-wal`) === 0) return;
  const head = Buffer.alloc(16);
  if (sizeOf(file) >= 100) {
    const handle = openSync(file, 'r');
    readSync(handle, head, 0, 16, 0);
    closeSync(handle);
  }
  if (head.toString('latin1') !== 'SQLite format 3\u0000')
    throw new StoreError(`${file} is empty or damaged, while ${file}-wal has data that belongs to it. Restore a backup of both; nothing was changed.`);
}
