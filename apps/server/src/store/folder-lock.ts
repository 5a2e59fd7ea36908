import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import sqlite3 from 'sqlite3';
import { StoreError } from './store-error.js';

/**
 * Keeps a data folder for one control plane: two of them would overwrite each other's drafts. The lock is one of the
 * operating system on a small database of its own, so it ends with the process, however that ends.
 */
export class FolderLock {
  readonly #database: sqlite3.Database;

  private constructor(database: sqlite3.Database) {
    this.#database = database;
  }

  /** @throws StoreError when another process has the folder */
  static async take(folder: string): Promise<FolderLock> {
    const file = join(folder, 'in-use');
    const who = join(folder, 'in-use.pid');
    const database = await new Promise<sqlite3.Database>((resolve, reject) => {
      const opened: sqlite3.Database = new sqlite3.Database(file, (error) =>
        error ? reject(new StoreError(`${file} cannot be used: ${error.message}`)) : resolve(opened),
      );
    });
    const run = (sql: string): Promise<void> => new Promise((resolve, reject) => database.run(sql, (error) => (error ? reject(error) : resolve())));
    try {
      await run('PRAGMA busy_timeout = 0');
      await run('BEGIN EXCLUSIVE');
    } catch (error) {
      await new Promise((resolve) => database.close(resolve));
      if ((error as { code?: string }).code !== 'SQLITE_BUSY') throw new StoreError(`${file} cannot be used: ${(error as Error).message}`);
      throw new StoreError(`another control plane${pidOf(who)} uses the data folder ${folder}. Stop it, or choose another folder.`);
    }
    writeFileSync(who, String(process.pid), { mode: 0o600 });
    return new FolderLock(database);
  }

  release(): Promise<void> {
    return new Promise((resolve) => this.#database.close(() => resolve()));
  }
}

function pidOf(file: string): string {
  try {
    return ` (process ${readFileSync(file, 'utf8').slice(0, 20)})`;
  } catch {
    return '';
  }
}
