import type { FeedMessage, NodeAnswer, NodeStatus, SightingReport } from '@virga/protocol/node';
import type { RecordBatch } from '@virga/core';
import { randomUUID } from 'node:crypto';
import { setTimeout as delay } from 'node:timers/promises';
import { Agent, request } from 'undici';

/** A feed that is silent for longer than this is dead. The control plane sends a heartbeat every 2 seconds. */
const SILENCE_MS = 8000;
const RETRY_MS = { first: 200, most: 2000 } as const;

export interface ControlLinkOptions {
  readonly controlUrl: string;
  readonly token: string;
  readonly node: string;
  readonly onMessage: (message: FeedMessage) => void;
  readonly onConnected: () => void;
  readonly log: (text: string) => void;
}

/**
 * The node's side of its link to the control plane: one feed down, kept open and reopened for ever, and posts up.
 * Losing it never stops traffic.
 */
export class ControlLink {
  readonly #options: ControlLinkOptions;
  readonly #agent = new Agent({ bodyTimeout: SILENCE_MS, headersTimeout: SILENCE_MS, connect: { timeout: 3000 } });
  readonly #stopping = new AbortController();
  #feed = new AbortController();
  #pending: { id: string; batch: RecordBatch } | null = null;
  #untold: SightingReport | null = null;
  #connected = false;

  constructor(options: ControlLinkOptions) {
    this.#options = options;
  }

  get connected(): boolean {
    return this.#connected;
  }

  /** Runs until `stop`. */
  async run(): Promise<void> {
    let pause: number = RETRY_MS.first;
    while (!this.#stopping.signal.aborted) {
      try {
        await this.#follow(() => (pause = RETRY_MS.first));
      } catch (error) {
        if (this.#connected) this.#options.log(`the control plane is away (${(error as Error).message}); serving on`);
      }
      this.#connected = false;
      await delay(pause, undefined, { signal: this.#stopping.signal }).catch(() => undefined);
      pause = Math.min(pause * 2, RETRY_MS.most);
    }
  }

  stop(): void {
    this.#stopping.abort();
    void this.#agent.destroy();
  }

  /** Opens the feed anew, which brings everything that counts. */
  reconnect(): void {
    this.#feed.abort();
  }

  async #follow(opened: () => void): Promise<void> {
    this.#feed = new AbortController();
    const signal = AbortSignal.any([this.#stopping.signal, this.#feed.signal]);
    const answer = await this.#call('GET', `/nodes/v1/feed?node=${encodeURIComponent(this.#options.node)}`, undefined, signal);
    if (answer.statusCode !== 200) {
      await answer.body.dump();
      throw new Error(`the feed answered ${answer.statusCode}`);
    }
    opened();
    this.#connected = true;
    this.#options.onConnected();
    // Pieces are joined once a line is whole: a release of many operations comes in many pieces.
    const decoder = new TextDecoder();
    let pieces: string[] = [];
    for await (const part of answer.body as AsyncIterable<Buffer>) {
      const lines = decoder.decode(part, { stream: true }).split('\n');
      for (const [index, text] of lines.entries()) {
        pieces.push(text);
        if (index === lines.length - 1) break;
        const line = pieces.join('');
        pieces = [];
        if (line !== '') this.#options.onMessage(JSON.parse(line) as FeedMessage);
      }
    }
    throw new Error('the feed ended');
  }

  async status(status: NodeStatus): Promise<void> {
    await this.#post('/nodes/v1/status', status);
  }

  async answer(answer: NodeAnswer): Promise<void> {
    await this.#post('/nodes/v1/answers', answer);
  }

  /** Sends records; a batch that could not be sent is sent again under the same id before any newer one. */
  async send(next: () => RecordBatch | null): Promise<boolean> {
    if (!this.#connected) return false;
    const batch = this.#pending?.batch ?? next();
    if (!batch) return false;
    this.#pending ??= { id: randomUUID(), batch };
    await this.#post('/nodes/v1/records', { id: this.#pending.id, node: this.#options.node, ...this.#pending.batch });
    this.#pending = null;
    return true;
  }

  /** Sends what was learned from traffic; a report that could not be sent is sent again under the same id. */
  async sendSightings(next: () => Promise<Omit<SightingReport, 'id' | 'node'> | null>): Promise<void> {
    const fresh = this.#untold === null ? await next() : null;
    if (fresh !== null) this.#untold = { id: randomUUID(), node: this.#options.node, ...fresh };
    if (this.#untold === null) return;
    await this.#post('/nodes/v1/sightings', this.#untold);
    this.#untold = null;
  }

  async #post(path: string, body: unknown): Promise<void> {
    const answer = await this.#call('POST', path, JSON.stringify(body));
    await answer.body.dump();
    if (answer.statusCode >= 300) throw new Error(`${path} answered ${answer.statusCode}`);
  }

  #call(method: 'GET' | 'POST', path: string, body: string | undefined, signal: AbortSignal = this.#stopping.signal) {
    return request(this.#options.controlUrl + path, {
      dispatcher: this.#agent,
      signal,
      method,
      headers: { authorization: `Bearer ${this.#options.token}`, ...(body === undefined ? {} : { 'content-type': 'application/json' }) },
      ...(body === undefined ? {} : { body }),
    });
  }
}
