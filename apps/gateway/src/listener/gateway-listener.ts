import { compileRedactor, entryOf, Exchange, finding, type Finding } from '@virga/core';
import { createServer, type IncomingMessage, type Server, type ServerOptions, type ServerResponse } from 'node:http';
import { createServer as createTlsServer } from 'node:https';
import type { Duplex } from 'node:stream';
import type { LiveRelease } from '../live-release.js';
import { answerBroken, findingOf } from './broken-request.js';
import { GatewayRequest } from './gateway-request.js';
import { LISTENER_LIMITS } from './listener-limits.js';
import { Slots } from './slots.js';
import { ServedRequest, type ServeContext } from './serve-request.js';

/** An answer under way: how it ends where the rest of its request cannot be read, and how its pace is looked at; left out where nothing is to be done. */
interface Answering {
  readonly res: ServerResponse;
  brokenOff?(found: Finding): void;
  look?(now: number): void;
}

/**
 * The gateway's HTTP listener. Node's parser refuses conflicting lengths, bare line breaks and folded headers
 * (RFC 9112 sections 2.2, 5.2 and 6.1); repeated headers are joined so that no duplicate can hide behind the first.
 */
export class GatewayListener {
  readonly #server: Server;
  readonly #context: ServeContext;
  readonly #release: () => LiveRelease | null;
  /** Answers under way, which nothing else may be written into. */
  readonly #answering = new Slots<Answering>();

  /** @param tls PEM of certificate and key, to speak TLS and ask for client certificates */
  constructor(context: ServeContext, release: () => LiveRelease | null, tls: { readonly cert: Buffer; readonly key: Buffer } | null = null) {
    this.#context = context;
    this.#release = release;
    const options: ServerOptions<typeof GatewayRequest> = {
      maxHeaderSize: LISTENER_LIMITS.maxHeaderBytes,
      requestTimeout: LISTENER_LIMITS.requestTimeoutMs,
      headersTimeout: LISTENER_LIMITS.headersTimeoutMs,
      keepAliveTimeout: LISTENER_LIMITS.keepAliveMs,
      joinDuplicateHeaders: true,
      requireHostHeader: false,
      insecureHTTPParser: false,
      IncomingMessage: GatewayRequest,
    };
    this.#server = tls ? createTlsServer({ ...options, ...tls, minVersion: 'TLSv1.2', requestCert: true, rejectUnauthorized: false }) : createServer(options);
    this.#server.on('request', (req, res) => this.#serve(req, res, false));
    this.#server.on('checkContinue', (req, res) => this.#serve(req, res, true));
    this.#server.on('connect', (_req, socket: Duplex) => this.#broken(socket, finding('path.target', { found: 'CONNECT' })));
    this.#server.on('clientError', (error: Error & { code?: string }, socket: Duplex) => {
      if (error.code === 'ECONNRESET' || !socket.writable) socket.destroy();
      else this.#afterAnswers(socket, findingOf(error, LISTENER_LIMITS));
    });
    // Counted where the request is read; what is beyond must not vanish before it can be refused.
    this.#server.maxHeadersCount = 0;
  }

  #serve(req: IncomingMessage, res: ServerResponse, expectsContinue: boolean): void {
    const release = this.#release();
    if (!release) {
      const place = this.#answering.add({ res });
      res.once('close', () => this.#answering.remove(place));
      const found = finding('gateway.no-release', {});
      const status = entryOf(found.code).status ?? 503;
      res.writeHead(status, { 'content-type': 'application/problem+json', 'cache-control': 'no-store', 'retry-after': '5' });
      res.end(JSON.stringify({ type: 'urn:virga:problem:unavailable', title: entryOf(found.code).title, status }));
      return;
    }
    const served = new ServedRequest(req, res, release, this.#context);
    const place = this.#answering.add(served);
    // One listener for each request: adding them is a part of what a request costs.
    res.on('close', () => {
      this.#answering.remove(place);
      served.closed();
    });
    served.serve(expectsContinue);
  }

  /** Ends a connection on which no further request can be read, once those before are answered. One whose own body broke off has its end here. */
  #afterAnswers(socket: Duplex, found: Finding): void {
    const own = [...this.#answering].filter(({ res }) => res.req.socket === socket);
    const whole = own.find(({ res }) => res.req.complete);
    const [half] = own;
    if (whole) whole.res.once('close', () => (socket.destroyed ? undefined : this.#afterAnswers(socket, found)));
    else if (half?.brokenOff) half.brokenOff(found);
    else if (half) socket.destroy();
    else this.#broken(socket, found);
  }

  #broken(socket: Duplex, found: Finding): void {
    const id = answerBroken(socket, found, this.#context.publicOrigin);
    const exchange = new Exchange({ method: '', target: '', headers: {} });
    exchange.took(entryOf(found.code).step, found, 0);
    const address = 'remoteAddress' in socket && typeof socket.remoteAddress === 'string' ? socket.remoteAddress.replace(/^::ffff:/, '') : '';
    this.#context.recorder.finish(exchange, {
      id,
      traceparent: '',
      at: Date.now(),
      release: this.#release()?.number ?? 0,
      address,
      status: entryOf(found.code).status ?? 400,
      found,
      requestHeaders: {},
      responseHeaders: [],
      requestBytes: 0,
      responseBytes: 0,
      totalMs: 0,
      redactor: this.#release()?.redactor ?? compileRedactor(),
    });
  }

  /** Looks at the pace of the requests that are under way. @param now on the clock of `performance.now()` */
  look(now: number): void {
    for (const answering of this.#answering) answering.look?.(now);
  }

  get inFlight(): number {
    return this.#answering.size;
  }

  /** @returns the port, which differs from the one asked when that was 0 */
  listen(port: number, host: string): Promise<number> {
    return new Promise((resolve, reject) => {
      this.#server.once('error', reject);
      this.#server.listen(port, host, () => {
        this.#server.off('error', reject);
        const address = this.#server.address();
        resolve(typeof address === 'object' && address ? address.port : port);
      });
    });
  }

  /** Takes no new requests, lets those in flight end, and closes what is left after `graceMs`. */
  drain(graceMs: number): Promise<void> {
    return new Promise((resolve) => {
      const timer = setTimeout(() => this.#server.closeAllConnections(), graceMs);
      this.#server.close(() => {
        clearTimeout(timer);
        resolve();
      });
      this.#server.closeIdleConnections();
    });
  }
}
