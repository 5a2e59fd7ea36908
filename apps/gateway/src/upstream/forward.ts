import { finding, type Finding } from '@virga/core';
import { performance } from 'node:perf_hooks';
import type { Readable } from 'node:stream';
import type { Client, Dispatcher } from 'undici';
import type { BerthSeeker, NoBerth } from './berths.js';
import type { Connections } from './connections.js';
import { fieldsOf, valueOf, without, type FieldList } from './field-list.js';
import type { Upstream } from './pools.js';

/** A request ready to go up. */
export interface UpstreamRequest {
  readonly method: string;
  /** Path and query below the upstream's origin. */
  readonly path: string;
  readonly headers: string[];
  readonly body: Readable | Buffer | null;
  /** Who counts as holding the connection: a client, or an address where no client is known. */
  readonly caller: string;
  /** When the request arrived, on the clock of `performance.now()`; its time limits count from here. */
  readonly arrivedAt: number;
}

/** Where the answer goes. `data` returns false when the receiver is full; it calls `resume` when there is room again. */
export interface AnswerSink {
  start(status: number, headers: FieldList, resume: () => void): void;
  data(chunk: Buffer): boolean;
  end(): void;
  /** Nothing was received yet when `started` is false. */
  fail(found: Finding, started: boolean): void;
}

type UpstreamError = Error & { code?: string };

/** Safe to send again when the connection broke before any answer (RFC 9110 section 9.2.2): nothing was changed, no body was used up. */
const REPEATABLE = new Set(['GET', 'HEAD', 'OPTIONS', 'TRACE']);

/**
 * Waits for a connection of its upstream, sends a request up and streams the answer back, with back-pressure both ways.
 * It takes what the library tells as its parser does, header fields as a list of bytes: the library's later interface makes
 * an object of them first, which costs some three hundredths of a request (docs/decisions/023).
 */
export class Forwarding implements Dispatcher.DispatchHandler, BerthSeeker {
  readonly caller: string;
  readonly until: number;
  readonly #upstream: Upstream;
  readonly #request: UpstreamRequest;
  readonly #sink: AnswerSink;
  /** Ends the call; null until its connection stands. */
  #abort: ((reason: Error) => void) | null = null;
  /** Whether the receiver was full and has not said since that there is room. */
  #paused = false;
  #started = false;
  #ended = false;
  #repeated = false;
  #holds = false;
  #connection: Client | null = null;

  constructor(upstream: Upstream, request: UpstreamRequest, sink: AnswerSink) {
    this.caller = request.caller;
    this.until = request.arrivedAt + Math.min(upstream.limits.waitMs, upstream.responseTimeoutMs);
    this.#upstream = upstream;
    this.#request = request;
    this.#sink = sink;
  }

  send(): void {
    this.#upstream.berths.seek(this);
  }

  granted(): void {
    this.#holds = true;
    this.#dispatch();
  }

  refused(why: NoBerth): void {
    this.#ended = true;
    const { address, berths, limits } = this.#upstream;
    if (why === 'share') {
      this.#sink.fail(finding('upstream.share', { address, caller: this.caller, held: berths.share, sharePercent: limits.sharePercent }), false);
      return;
    }
    const waitedMs = why === 'waited' ? Math.round(performance.now() - this.#request.arrivedAt) : 0;
    this.#sink.fail(finding('upstream.busy', { address, connections: limits.connections, waiting: berths.waiting, waitedMs }), false);
  }

  #dispatch(): void {
    const { responseTimeoutMs } = this.#upstream;
    const { method, path, headers, body, arrivedAt } = this.#request;
    this.#connection = this.#connections.take();
    // The time that passed before counts too, waiting for a connection included.
    const headersTimeout = Math.max(1, responseTimeoutMs - Math.round(performance.now() - arrivedAt));
    try {
      this.#connection.dispatch({ path, method: method, headers, body, headersTimeout, bodyTimeout: responseTimeoutMs }, this);
    } catch (error) {
      this.onError(error as Error);
    }
  }

  /** Ends the call because the caller has gone or may not go on. */
  abort(): void {
    if (this.#ended) return;
    this.#ended = true;
    if (!this.#holds) this.#upstream.berths.leave(this);
    // Without a way to end it the connection is still being made; it is given back when that has come to an end.
    this.#abort?.(new Error('the caller left'));
  }

  get #connections(): Connections {
    const { pools } = this.#upstream;
    return this.#request.body === null && !this.#repeated ? pools.plain : pools.patient;
  }

  #giveBack(): void {
    if (this.#connection) this.#connections.give(this.#connection);
    this.#connection = null;
  }

  /**
   * Gives the connection and its berth back, once. Not to one who waits while the library still tells of the answer before:
   * it would time that request by the limits of this one.
   */
  #free(): void {
    if (!this.#holds) return;
    this.#holds = false;
    if (this.#upstream.berths.waiting === 0) this.#handOver();
    else process.nextTick(() => this.#handOver());
  }

  #handOver(): void {
    this.#giveBack();
    this.#upstream.berths.free(this.caller);
  }

  onConnect(abort: (reason?: Error) => void): void {
    this.#abort = abort;
    if (this.#ended) abort(new Error('the caller left'));
  }

  onHeaders(status: number, raw: Buffer[], resume: () => void): boolean {
    if (status < 200) return true;
    this.#started = true;
    const fields = fieldsOf(raw);
    const length = status === 204 || status === 304 ? Number(valueOf(fields, 'content-length') ?? 0) : 0;
    // A 204 has no length (RFC 9110 section 8.6), whatever an upstream says.
    const headers = status === 204 ? without(fields, 'content-length') : fields;
    this.#sink.start(status, headers, () => {
      // The connection may carry another request by now, which has its own receiver.
      if (!this.#paused || this.#ended) return;
      this.#paused = false;
      resume();
    });
    // A 304 may say how long the content would be; neither has any (RFC 9112 section 6.3), and the library waits for it.
    if (length > 0) {
      this.onComplete();
      this.#abort?.(new Error(`a ${status} has no content`));
    }
    return true;
  }

  onData(chunk: Buffer): boolean {
    this.#paused = !this.#sink.data(chunk);
    return !this.#paused;
  }

  onComplete(): void {
    this.#ended = true;
    this.#free();
    this.#sink.end();
  }

  onError(error: UpstreamError): void {
    if (this.#ended) return this.#free();
    if (!this.#started && !this.#repeated && this.#request.body === null && REPEATABLE.has(this.#request.method) && isStaleConnection(error)) {
      this.#giveBack();
      this.#repeated = true;
      this.#dispatch();
      return;
    }
    this.#ended = true;
    this.#free();
    this.#sink.fail(this.#findingOf(error), this.#started);
  }

  #findingOf(error: UpstreamError): Finding {
    const { address, responseTimeoutMs } = this.#upstream;
    const reason = `${error.message || error.name}${error.code ? ` (${error.code})` : ''}`.slice(0, 200);
    switch (error.code) {
      case 'UND_ERR_HEADERS_TIMEOUT':
        return finding('upstream.timeout', { address, limitMs: responseTimeoutMs, phase: 'answer' });
      case 'UND_ERR_BODY_TIMEOUT':
        return finding('upstream.timeout', { address, limitMs: responseTimeoutMs, phase: 'go on with its answer' });
      case 'UND_ERR_CONNECT_TIMEOUT':
      case 'ECONNREFUSED':
      case 'ENOTFOUND':
      case 'EAI_AGAIN':
      case 'EHOSTUNREACH':
      case 'ENETUNREACH':
        return finding('upstream.unreachable', { address, reason });
      default:
        return finding('upstream.broken', { address, reason });
    }
  }
}

const isStaleConnection = (error: UpstreamError): boolean => error.code === 'UND_ERR_SOCKET' || error.code === 'ECONNRESET' || error.code === 'EPIPE';
