import {
  answerOf,
  corsHeaders,
  decide,
  Exchange,
  finding,
  resourceMetadata,
  type CompiledRelease,
  type Finding,
  type GatewayAnswer,
  type Verdict,
} from '@virga/core';
import { PROBE_HEADER, REQUEST_ID_HEADER } from '@virga/protocol';
import type { IncomingHttpHeaders, IncomingMessage, ServerResponse } from 'node:http';
import { performance } from 'node:perf_hooks';
import { PassThrough, type Readable } from 'node:stream';
import type { LiveRelease } from '../live-release.js';
import type { Recorder } from '../records/recorder.js';
import { Forwarding, type AnswerSink } from '../upstream/forward.js';
import type { Upstream } from '../upstream/pools.js';
import { headersBack, headersUp, queryUp, withheldPlaces } from './forward-headers.js';
import { nonceFor } from './nonce-for.js';
import { newRequestId, traceContext } from './request-ids.js';

/** What serving needs from the node around it. */
export interface ServeContext {
  readonly recorder: Recorder;
  readonly publicOrigin: string;
  /** Whether a probe header was written by the control plane. */
  isProbe(header: string): boolean;
  fault(error: unknown): void;
}

/** Bodies longer than this that nobody will read are not waited for: the connection is closed. */
const DUMP_LIMIT_BYTES = 64 * 1024;

/** One request at the listener, from its first byte to its record. */
export class ServedRequest implements AnswerSink {
  readonly #req: IncomingMessage;
  readonly #res: ServerResponse;
  readonly #live: LiveRelease;
  readonly #context: ServeContext;
  readonly #exchange: Exchange;
  readonly #id = newRequestId();
  readonly #at = Date.now();
  readonly #startedAt = performance.now();
  readonly #address: string;
  readonly #traceId: string;
  readonly #traceparent: string;
  #upstream: Upstream | null = null;
  #upstreamAt = 0;
  #responseHeaders: readonly string[] = [];
  #status = 0;
  #responseBytes = 0;
  /** Bytes of the body that went up; what was refused was not read. */
  #requestBytes = 0;
  #resume: (() => void) | null = null;
  #recorded = false;

  constructor(req: IncomingMessage, res: ServerResponse, live: LiveRelease, context: ServeContext) {
    this.#req = req;
    this.#res = res;
    this.#live = live;
    this.#context = context;
    this.#address = addressOf(req);
    this.#exchange = new Exchange({
      method: req.method ?? '',
      target: req.url ?? '',
      headers: req.headers,
      origin: context.publicOrigin,
      certificate: live.findCertificate(req, this.#address),
    });
    const trace = traceContext(typeof req.headers['traceparent'] === 'string' ? req.headers['traceparent'] : undefined);
    this.#traceId = trace.traceId;
    this.#traceparent = trace.traceparent;
  }

  serve(expectsContinue: boolean): void {
    const host = this.#req.headers.host;
    if (host === undefined || host.includes(',')) {
      this.#answer(finding('message.host-missing', { found: host === undefined ? 0 : host.split(',').length }));
      return;
    }
    const metadata = this.#metadata(this.#live.compiled);
    if (metadata) {
      this.#send(metadata, finding('route.matched', { api: 'gateway', operation: 'resource metadata', parameters: [] }));
      return;
    }
    const verdict = decide(this.#live.compiled, this.#exchange);
    if (verdict instanceof Promise) {
      verdict.then(
        (decided) => this.#act(decided, expectsContinue),
        (error: unknown) => this.#fault(error),
      );
    } else this.#act(verdict, expectsContinue);
  }

  #act(verdict: Verdict, expectsContinue: boolean): void {
    try {
      if (verdict.kind === 'answer') this.#answer(verdict.finding);
      else this.#forward(expectsContinue);
    } catch (error) {
      this.#fault(error);
    }
  }

  #fault(error: unknown): void {
    this.#context.fault(error);
    this.#answer(finding('gateway.fault', { at: 'forwarding' }));
  }

  #metadata(release: CompiledRelease): GatewayAnswer | null {
    const target = this.#exchange.target;
    if (!target.startsWith('/.well-known/')) return null;
    const api = release.metadata.get(target);
    if (!api || !api.rule.enabled || (this.#req.method !== 'GET' && this.#req.method !== 'HEAD')) return null;
    const headers = { 'content-type': 'application/json', 'cache-control': 'max-age=300', 'access-control-allow-origin': '*' };
    return { status: 200, headers, body: JSON.stringify(resourceMetadata(release, api)) };
  }

  #forward(expectsContinue: boolean): void {
    const { api } = this.#exchange;
    const upstream = api ? this.#live.upstreams.get(api) : undefined;
    if (!api || !upstream) throw new Error('invariant: a forwarded request has an upstream');
    const req = this.#req;
    this.#upstream = upstream;
    this.#upstreamAt = performance.now();
    if (expectsContinue) this.#res.writeContinue();
    const base = api.rule.basePath.length;
    const path = upstream.prefix + (this.#exchange.path.slice(base) || '/') + queryUp(this.#exchange);
    const headers = headersUp(req.headers, {
      address: this.#address,
      host: req.headers.host ?? '',
      requestId: this.#id,
      traceparent: this.#traceparent,
      protocol: this.#context.publicOrigin.startsWith('https:') ? 'https' : 'http',
      withheld: withheldPlaces(this.#exchange),
      forged: this.#live.forgedHeader(this.#address),
    });
    const hasBody = req.headers['transfer-encoding'] !== undefined || (req.headers['content-length'] !== undefined && req.headers['content-length'] !== '0');
    const forwarding = new Forwarding(
      upstream,
      { method: this.#exchange.method, path, headers, body: hasBody ? detached(req, (bytes) => (this.#requestBytes += bytes)) : null },
      this,
    );
    this.#res.on('close', () => {
      if (this.#res.writableFinished) return;
      forwarding.abort();
      this.#record(499, finding('upstream.caller-left', { address: upstream.address }));
    });
    forwarding.send();
  }

  start(status: number, headers: IncomingHttpHeaders, resume: () => void): void {
    this.#resume = resume;
    const added = corsHeaders(this.#exchange);
    added[REQUEST_ID_HEADER] = this.#id;
    this.#responseHeaders = headersBack(headers, added);
    this.#res.sendDate = headers['date'] === undefined;
    this.#res.writeHead(status, this.#responseHeaders as string[]);
    this.#status = status;
  }

  data(chunk: Buffer): boolean {
    this.#responseBytes += chunk.length;
    if (this.#res.write(chunk)) return true;
    this.#res.once('drain', () => this.#resume?.());
    return false;
  }

  end(): void {
    this.#res.end();
    this.#record(this.#status, finding('upstream.answered', { status: this.#status, address: this.#upstream?.address ?? '' }));
  }

  fail(found: Finding, started: boolean): void {
    if (!started) {
      this.#answer(found, true);
      return;
    }
    // Half an answer cannot be taken back: the broken connection tells the caller.
    this.#record(this.#status, found);
    this.#res.destroy();
  }

  #answer(found: Finding, ofUpstream = false): void {
    if (ofUpstream || this.#exchange.steps[this.#exchange.steps.length - 1]?.finding !== found) this.#step(found);
    this.#send(
      answerOf(found, this.#exchange, {
        publicOrigin: this.#context.publicOrigin,
        requestId: this.#id,
        nonce: nonceFor(this.#live.compiled, this.#exchange),
      }),
      found,
    );
  }

  #send(answer: GatewayAnswer, found: Finding): void {
    const res = this.#res;
    if (!res.headersSent) {
      const headers: string[] = [REQUEST_ID_HEADER, this.#id];
      for (const [name, value] of Object.entries(answer.headers)) headers.push(name, value);
      if (answer.body !== null) headers.push('content-length', String(Buffer.byteLength(answer.body)));
      if (bodyIsLong(this.#req)) headers.push('connection', 'close');
      this.#responseHeaders = headers;
      this.#responseBytes = answer.body?.length ?? 0;
      res.writeHead(answer.status, headers);
      res.end(this.#req.method === 'HEAD' ? undefined : (answer.body ?? undefined));
    }
    this.#record(answer.status, found);
  }

  #step(found: Finding): void {
    const from = this.#upstream ? this.#upstreamAt : this.#startedAt;
    this.#exchange.steps.push({ step: this.#upstream ? 'upstream' : 'message', finding: found, tookMs: performance.now() - from });
  }

  #record(status: number, found: Finding): void {
    if (this.#recorded) return;
    this.#recorded = true;
    if (this.#exchange.steps[this.#exchange.steps.length - 1]?.finding !== found) this.#step(found);
    const probe = this.#req.headers[PROBE_HEADER];
    this.#context.recorder.finish(
      this.#exchange,
      {
        id: this.#id,
        traceId: this.#traceId,
        at: this.#at,
        release: this.#live.number,
        address: this.#address,
        status,
        found,
        requestHeaders: this.#req.headers,
        responseHeaders: this.#responseHeaders,
        requestBytes: this.#requestBytes,
        responseBytes: this.#responseBytes,
        totalMs: performance.now() - this.#startedAt,
      },
      typeof probe === 'string' && this.#context.isProbe(probe),
    );
  }
}

/**
 * The body of a request as a stream of its own. The client library destroys the body it was given when a call fails;
 * given the request itself, it would close the caller's connection before the refusal could be written.
 */
function detached(req: IncomingMessage, count: (bytes: number) => void): Readable {
  const body = new PassThrough();
  req.on('data', (part: Buffer) => count(part.length));
  req.pipe(body);
  req.once('error', (error) => body.destroy(error));
  body.on('error', () => undefined);
  return body;
}

function bodyIsLong(req: IncomingMessage): boolean {
  return req.headers['transfer-encoding'] !== undefined || Number(req.headers['content-length'] ?? 0) > DUMP_LIMIT_BYTES;
}

/** The address the gateway saw, IPv4-mapped IPv6 written as IPv4 (RFC 4291 section 2.5.5.2). */
function addressOf(req: IncomingMessage): string {
  const address = req.socket.remoteAddress ?? '';
  return address.startsWith('::ffff:') ? address.slice(7) : address;
}
