import { Injectable } from '@nestjs/common';
import { randomBytes } from 'node:crypto';
import { EventEmitter } from 'node:events';
import { SecretRow } from '../store/models/tokens.js';
import { Store } from '../store/store.js';
import { Vault } from './vault.js';

/**
 * Values that releases only name. Every value that is set gets a name of its own and stays, so that a draft with a new
 * secret changes nothing that is live, and an earlier release still finds its own.
 */
@Injectable()
export class SecretsService {
  readonly #values = new Map<string, string>();
  readonly #changed = new EventEmitter();

  constructor(
    private readonly store: Store,
    private readonly vault: Vault,
  ) {}

  async load(): Promise<void> {
    const rows = await SecretRow.findAll({ raw: true });
    for (const row of rows) this.#values.set(row.name, this.vault.open(row.sealed, row.name));
  }

  onChange(listener: () => void): void {
    this.#changed.on('change', listener);
  }

  /** @returns the name under which a release may use it */
  async keep(value: string, of: string): Promise<string> {
    const name = `${of}-${randomBytes(5).toString('hex')}`;
    const sealed = this.vault.seal(value, name);
    await this.store.write((transaction) => SecretRow.create({ name, sealed, updatedAt: Date.now() }, { transaction }));
    this.#values.set(name, value);
    this.#changed.emit('change');
    return name;
  }

  value(name: string): string | null {
    return this.#values.get(name) ?? null;
  }

  get all(): Readonly<Record<string, string>> {
    return Object.fromEntries(this.#values);
  }
}
