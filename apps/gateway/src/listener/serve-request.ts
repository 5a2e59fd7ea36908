import {
  answerOf,
  corsHeaders,
  decide,
  Exchange,
  finding,
  resourceMetadata,
  UPSTREAM_LIMITS,
  type CompiledRelease,
  type Finding,
  type GatewayAnswer,
  type Verdict,
} from '@virga/core';
import { PROBE_HEADER, REQUEST_ID_HEADER } from '@virga/protocol';
import type { IncomingHttpHeaders, IncomingMessage, ServerResponse } from 'node:http';
import { performance } from 'node:perf_hooks';
import type { PassThrough } from 'node:stream';
import type { LiveRelease } from '../live-release.js';
import type { Recorder } from '../records/recorder.js';
import { Forwarding, type AnswerSink } from '../upstream/forward.js';
import type { Upstream } from '../upstream/pools.js';
import { headersBack, headersUp, queryUp } from './forward-headers.js';
import { drainUpload } from './linger.js';
import { Pace } from './pace.js';
import type { Slots } from './slots.js';
import { addressOf, callerOf, detached, hasBodyOf, wrongMessage } from './request-facts.js';
import { nonceFor } from './nonce-for.js';
import { newRequestId, traceContext } from './request-ids.js';

/** What serving needs from the node around it. */
export interface ServeContext {
  readonly recorder: Recorder;
  readonly publicOrigin: string;
  /** Whether a probe header was written by the control plane. */
  isProbe(header: string): boolean;
  fault(error: unknown): void;
  /** Requests that are under way at an upstream; whoever holds this looks at their pace now and then. */
  readonly transfers: Slots<Transfer>;
}

/** A request whose pace is looked at. @param now on the clock of `performance.now()` */
export interface Transfer {
  look(now: number): void;
}

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
  #expectsContinue = false;
  #forwarding: Forwarding | null = null;
  #place = 0;
  #body: PassThrough | null = null;
  #sending: Pace | null = null;
  #reading: Pace | null = null;

  constructor(req: IncomingMessage, res: ServerResponse, live: LiveRelease, context: ServeContext) {
    this.#req = req;
    this.#res = res;
    this.#live = live;
    live.begin();
    res.once('close', () => this.#closed());
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
    const unreadable = wrongMessage(this.#req);
    if (unreadable) {
      this.#answer(unreadable);
      return;
    }
    const metadata = this.#metadata(this.#live.compiled);
    if (metadata) {
      this.#send(metadata, finding('route.matched', { api: 'gateway', operation: 'resource metadata', parameters: [] }));
      return;
    }
    this.#expectsContinue = expectsContinue;
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
    const { api, operation } = this.#exchange;
    const upstream = api ? this.#live.upstreams.get(api) : undefined;
    if (!api || !upstream) throw new Error('invariant: a forwarded request has an upstream');
    if (operation?.api !== api.rule) throw new Error('invariant: the API that decided is the API whose upstream is called');
    const req = this.#req;
    this.#upstream = upstream;
    this.#upstreamAt = performance.now();
    if (expectsContinue) {
      this.#res.writeContinue();
      this.#expectsContinue = false;
    }
    const path = upstream.prefix + this.#exchange.below + queryUp(this.#exchange);
    const headers = headersUp(req.headers, {
      address: this.#address,
      host: req.headers.host ?? '',
      requestId: this.#id,
      traceparent: this.#traceparent,
      protocol: this.#context.publicOrigin.startsWith('https:') ? 'https' : 'http',
      withheld: this.#exchange.operation?.withheld ?? [],
      vouched: this.#live.vouchedHeader(this.#address),
      ruled: this.#live.certificateHeader,
    });
    const hasBody = hasBodyOf(req);
    if (hasBody) this.#body = detached(req, (bytes) => (this.#requestBytes += bytes));
    const forwarding = new Forwarding(
      upstream,
      { method: this.#exchange.method, path, headers, body: this.#body, caller: callerOf(this.#exchange, this.#address), arrivedAt: this.#startedAt },
      this,
    );
    this.#forwarding = forwarding;
    this.#place = this.#context.transfers.add(this);
    forwarding.send();
  }

  /** The answer is written, or the caller has gone: what this request held is given back. */
  #closed(): void {
    this.#live.end();
    if (!this.#forwarding || !this.#upstream) return;
    this.#context.transfers.remove(this.#place);
    if (this.#res.writableFinished) return;
    this.#forwarding.abort();
    this.#record(499, finding('upstream.caller-left', { address: this.#upstream.address }));
  }

  /** Cuts off a caller that sends or reads too slowly. Called now and then while the request is under way. */
  look(now: number): void {
    const { writableLength, writableNeedDrain, writableEnded } = this.#res;
    const { leastBytesPerSecond, paceMs } = this.#upstream?.limits ?? UPSTREAM_LIMITS;
    // Made here and not with the request: most are gone before anybody looks.
    this.#sending ??= new Pace(leastBytesPerSecond, paceMs);
    this.#reading ??= new Pace(leastBytesPerSecond, paceMs);
    // A body that the upstream does not take yet waits for the upstream, not for the caller.
    const sends = this.#body !== null && !this.#req.complete && !this.#body.writableNeedDrain && !this.#body.destroyed;
    const slowSender = this.#sending.look(now, this.#requestBytes, sends);
    if (slowSender) return this.#cutOff(finding('message.sender-too-slow', { ...slowSender }));
    const slowReader = this.#reading.look(now, this.#responseBytes - writableLength, writableNeedDrain || (writableEnded && writableLength > 0));
    if (slowReader) this.#cutOff(finding('message.reader-too-slow', { ...slowReader }));
  }

  #cutOff(found: Finding): void {
    this.#forwarding?.abort();
    if (!this.#res.headersSent) return this.#answer(found, true);
    this.#record(this.#status, found);
    this.#res.destroy();
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
    // An upstream may answer before it has the whole body; what is left of it would keep the connection waiting.
    if (this.#body && !this.#req.complete) drainUpload(this.#req, (whole) => whole || this.#req.socket.destroySoon());
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
      const body = this.#req.method === 'HEAD' ? null : answer.body;
      if (answer.body !== null) headers.push('content-length', String(Buffer.byteLength(answer.body)));
      const bodyComes = !this.#expectsContinue && hasBodyOf(this.#req) && !this.#req.complete;
      if (bodyComes || this.#expectsContinue) headers.push('connection', 'close');
      this.#responseHeaders = headers;
      this.#responseBytes = body?.length ?? 0;
      res.writeHead(answer.status, headers);
      // The whole answer goes out at once; the connection ends only when its sender has had the time to read it.
      if (body !== null) res.write(body);
      else if (bodyComes) res.flushHeaders();
      if (bodyComes) drainUpload(this.#req, () => res.end());
      else res.end();
    }
    this.#record(answer.status, found);
  }

  #step(found: Finding): void {
    const from = this.#upstream ? this.#upstreamAt : this.#startedAt;
    this.#exchange.took(this.#upstream ? 'upstream' : 'message', found, performance.now() - from);
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
        redactor: this.#live.redactor,
      },
      typeof probe === 'string' && this.#context.isProbe(probe),
    );
  }
}
