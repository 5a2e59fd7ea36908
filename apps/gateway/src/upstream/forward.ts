import { finding, type Finding } from '@virga/core';
import type { IncomingHttpHeaders } from 'node:http';
import type { Readable } from 'node:stream';
import type { Dispatcher } from 'undici';
import type { Upstream } from './pools.js';

/** A request ready to go up. */
export interface UpstreamRequest {
  readonly method: string;
  /** Path and query below the upstream's origin. */
  readonly path: string;
  readonly headers: string[];
  readonly body: Readable | Buffer | null;
}

/** Where the answer goes. `data` returns false when the receiver is full; it calls `resume` when there is room again. */
export interface AnswerSink {
  start(status: number, headers: IncomingHttpHeaders, resume: () => void): void;
  data(chunk: Buffer): boolean;
  end(): void;
  /** Nothing was received yet when `started` is false. */
  fail(found: Finding, started: boolean): void;
}

type UpstreamError = Error & { code?: string };

/** Safe to send again when the connection broke before any answer (RFC 9110 section 9.2.2): nothing was changed, no body was used up. */
const REPEATABLE = new Set(['GET', 'HEAD', 'OPTIONS', 'TRACE']);

/** Sends a request up and streams the answer back, with back-pressure both ways. */
export class Forwarding implements Dispatcher.DispatchHandler {
  readonly #upstream: Upstream;
  readonly #request: UpstreamRequest;
  readonly #sink: AnswerSink;
  #controller: Dispatcher.DispatchController | null = null;
  #started = false;
  #ended = false;
  #repeated = false;

  constructor(upstream: Upstream, request: UpstreamRequest, sink: AnswerSink) {
    this.#upstream = upstream;
    this.#request = request;
    this.#sink = sink;
  }

  send(): void {
    const { pool, origin, responseTimeoutMs } = this.#upstream;
    const { method, path, headers, body } = this.#request;
    try {
      pool.dispatch({ origin, path, method: method, headers, body, headersTimeout: responseTimeoutMs, bodyTimeout: responseTimeoutMs }, this);
    } catch (error) {
      this.onResponseError(null, error as Error);
    }
  }

  /** Ends the call because the caller has gone. */
  abort(): void {
    if (this.#ended) return;
    this.#ended = true;
    this.#controller?.abort(new Error('the caller left'));
  }

  onRequestStart(controller: Dispatcher.DispatchController): void {
    this.#controller = controller;
    if (this.#ended) controller.abort(new Error('the caller left'));
  }

  onResponseStart(controller: Dispatcher.DispatchController, status: number, headers: IncomingHttpHeaders): void {
    if (status < 200) return;
    this.#started = true;
    this.#sink.start(status, headers, () => controller.resume());
  }

  onResponseData(controller: Dispatcher.DispatchController, chunk: Buffer): void {
    if (!this.#sink.data(chunk)) controller.pause();
  }

  onResponseEnd(): void {
    this.#ended = true;
    this.#sink.end();
  }

  onResponseError(_controller: Dispatcher.DispatchController | null, error: UpstreamError): void {
    if (this.#ended) return;
    if (!this.#started && !this.#repeated && this.#request.body === null && REPEATABLE.has(this.#request.method) && isStaleConnection(error)) {
      this.#repeated = true;
      this.send();
      return;
    }
    this.#ended = true;
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
