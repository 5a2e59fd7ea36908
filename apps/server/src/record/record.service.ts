import { Injectable } from '@nestjs/common';
import type { RecordBatch } from '@virga/core';
import { EventEmitter } from 'node:events';
import type { Transaction } from 'sequelize';
import { Background } from '../http/background.js';
import { SettingRow } from '../store/models/configuration.js';
import { findTrace, prune, writeBatch } from '../store/record-store.js';
import { pruneSightings } from '../store/sighting-store.js';
import type { TraceRow } from '../store/models/records.js';
import { Store } from '../store/store.js';

export interface Retention {
  readonly traceCount: number;
  readonly traceHours: number;
}

const DEFAULT_RETENTION: Retention = { traceCount: 200_000, traceHours: 168 };
const TRAFFIC_DAYS = 90;
const PRUNE_MS = 60_000;

/** Takes records of nodes in, and lets go of old ones. */
@Injectable()
export class RecordService {
  readonly #store: Store;
  readonly #background: Background;
  readonly #taken = new EventEmitter().setMaxListeners(0);
  #timer: NodeJS.Timeout | null = null;

  constructor(store: Store, background: Background) {
    this.#store = store;
    this.#background = background;
  }

  start(): void {
    this.#timer = setInterval(() => this.#background.own('Letting go of old records', () => this.prune()), PRUNE_MS);
  }

  stop(): void {
    if (this.#timer) clearInterval(this.#timer);
  }

  async take(node: string, batchId: string, batch: RecordBatch): Promise<void> {
    await writeBatch(this.#store, node, batchId, batch, Date.now());
    this.#taken.emit('batch');
  }

  /** Waits for the trace of a request that was sent just now; null when it does not come in time. */
  async waitForTrace(id: string, timeoutMs: number): Promise<TraceRow | null> {
    const deadline = Date.now() + timeoutMs;
    for (;;) {
      const trace = await findTrace(id);
      if (trace || Date.now() >= deadline) return trace;
      await new Promise<void>((resolve) => {
        const timer = setTimeout(resolve, Math.min(250, Math.max(1, deadline - Date.now())));
        this.#taken.once('batch', () => {
          clearTimeout(timer);
          resolve();
        });
      });
    }
  }

  async retention(transaction?: Transaction): Promise<Retention> {
    const row = await SettingRow.findByPk('retention', { raw: true, ...(transaction ? { transaction } : {}) });
    return row ? { ...DEFAULT_RETENTION, ...(JSON.parse(row.value) as Partial<Retention>) } : DEFAULT_RETENTION;
  }

  async setRetention(change: Partial<Retention>): Promise<Retention> {
    // Read inside the transaction, so that of two changes at once none is lost.
    const next = await this.#store.write(async (transaction) => {
      const whole = { ...(await this.retention(transaction)), ...change };
      await SettingRow.upsert({ name: 'retention', value: JSON.stringify(whole) }, { transaction });
      return whole;
    });
    this.#background.own('Letting go of old records', () => this.prune());
    return next;
  }

  async prune(): Promise<void> {
    const keep = await this.retention();
    const now = Date.now();
    await prune(this.#store, { traceCount: keep.traceCount, tracesFrom: now - keep.traceHours * 3_600_000, trafficFrom: now - TRAFFIC_DAYS * 86_400_000 });
    await pruneSightings(this.#store, now - TRAFFIC_DAYS * 86_400_000);
  }
}
