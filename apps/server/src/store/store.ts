import { join } from 'node:path';
import { QueryTypes, type Transaction } from 'sequelize';
import { Sequelize } from 'sequelize-typescript';
import { SequelizeStorage, Umzug } from 'umzug';
import { MIGRATIONS } from './migrations/index.js';
import * as configuration from './models/configuration.js';
import * as records from './models/records.js';
import * as tokens from './models/tokens.js';

/** The database cannot be used, and why, in words for whoever starts the control plane. */
export class StoreError extends Error {
  constructor(message: string) {
    super(message);
    this.name = 'StoreError';
  }
}

/** The SQLite database of the control plane. All SQL is in this folder. Writes go one after another. */
export class Store {
  readonly sequelize: Sequelize;
  #last: Promise<unknown> = Promise.resolve();

  private constructor(sequelize: Sequelize) {
    this.sequelize = sequelize;
  }

  /**
   * Opens the database in a folder and brings it up to date.
   * @throws StoreError for a file that is not a database, is damaged, or was written by a newer version
   */
  static async open(folder: string): Promise<Store> {
    const file = join(folder, 'virga.sqlite');
    const sequelize = new Sequelize({
      dialect: 'sqlite',
      storage: file,
      logging: false,
      models: [...Object.values(configuration), ...Object.values(records), ...Object.values(tokens)],
      define: { timestamps: false, underscored: true },
    });
    const store = new Store(sequelize);
    try {
      await sequelize.query('PRAGMA journal_mode = WAL');
      await sequelize.query('PRAGMA synchronous = NORMAL');
      await sequelize.query('PRAGMA busy_timeout = 5000');
      await sequelize.query('PRAGMA foreign_keys = ON');
      await store.#check(file);
      await store.#migrate(file);
    } catch (error) {
      await sequelize.close().catch(() => undefined);
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
    this.#last = run.catch(() => undefined);
    return run;
  }

  async close(): Promise<void> {
    await this.#last;
    await this.sequelize.close();
  }
}
