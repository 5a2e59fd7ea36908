import { answerOf, Exchange, decideFence, finding, UPSTREAM_LIMITS, type Finding, type GatewayAnswer, type Verdict } from '@virga/core';
import { CALLER_HEADER, PROBE_HEADER, REQUEST_ID_HEADER } from '@virga/protocol/node';
import type { IncomingMessage, ServerResponse } from 'node:http';
import { performance } from 'node:perf_hooks';
import type { PassThrough } from 'node:stream';
import type { LiveRelease } from '../live-release.js';
import type { Recorder } from '../records/recorder.js';
import type { SeenExchange } from '../sightings/seen-exchange.js';
import type { Delivered } from '../sightings/sighting-messages.js';
import type { SightingThread } from '../sightings/sighting-thread.js';
import type { Carrier } from '../transit/carrier.js';
import { endToEnd } from '../transit/forward-headers.js';
import { valueOf, type FieldList } from '../upstream/field-list.js';
import { Transit } from '../transit/transit.js';
import { connectionOf } from './connection.js';
import { leaveTogether, WholeBody } from './leave-together.js';
import { drainUpload } from './linger.js';
import { Pace } from './pace.js';
import { bodyOf, detached, hasBodyOf, wrongMessage } from './request-facts.js';
import { metadataAnswer } from './metadata-answer.js';
import { nonceFor } from './nonce-for.js';
import { newRequestId, traceContext } from './request-ids.js';

/** What serving needs from the node around it. */
export interface ServeContext {
  readonly recorder: Recorder;
  readonly publicOrigin: string;
  /** Whether a probe header was written by the control plane. */
  isProbe(header: string): boolean;
  /** The address that CALLER_HEADER vouches for; empty for a mark that nobody can believe. */
  markedCaller(mark: string): string;
  fault(error: unknown): void;
  readonly sightings: SightingThread;
}

/** Up to so many bytes copying costs less than a write of their own. */
const SMALL_ANSWER = 4096;

/** One request at the listener, from its first byte to its record. */
export class ServedRequest implements Carrier {
  readonly #req: IncomingMessage;
  readonly #res: ServerResponse;
  readonly #live: LiveRelease;
  readonly #context: ServeContext;
  readonly #exchange: Exchange;
  readonly #transit: Transit;
  readonly #id = newRequestId();
  readonly #at = Date.now();
  readonly #startedAt = performance.now();
  readonly #address: string;
  readonly #traceparent: string;
  #responseHeaders: readonly string[] = [];
  #status = 0;
  /** Whether the head of the upstream's answer is there and has not been written. */
  #waits = false;
  #responseBytes = 0;
  /** Bytes of the answer's body as its head says them; -1 where it does not. */
  #announced = -1;
  /** The whole body, until it leaves. */
  #whole: WholeBody | null = null;
  /** Bytes of the body that went up; what was refused was not read. */
  #requestBytes = 0;
  #resume: (() => void) | null = null;
  #recorded = false;
  #expectsContinue = false;
  #brokenOff = false;
  /** Whether it goes, or went, to an upstream. */
  #forwarded = false;
  #body: PassThrough | null = null;
  #seen: SeenExchange | null = null;
  /** How much of the upstream's answer went out. */
  #delivered: Delivered = 'no';
  #sending: Pace | null = null;
  #reading: Pace | null = null;

  constructor(req: IncomingMessage, res: ServerResponse, live: LiveRelease, context: ServeContext) {
    this.#req = req;
    this.#res = res;
    this.#live = live;
    live.begin();
    this.#context = context;
    const { address, memory } = connectionOf(req.socket);
    const { headers } = req;
    const mark = headers[CALLER_HEADER];
    // What the portal carries comes from where its user is, for every rule that asks.
    const peer = mark === undefined ? address : context.markedCaller(String(mark));
    const from = live.callerAddress(peer, headers);
    this.#address = from.address ?? 'unknown';
    this.#exchange = new Exchange({
      method: req.method ?? '',
      target: req.url ?? '',
      headers: endToEnd(headers),
      origin: context.publicOrigin,
      certificate: live.findCertificate(req, peer),
      from,
      body: bodyOf(req),
      memory,
    });
    this.#traceparent = traceContext(typeof headers['traceparent'] === 'string' ? headers['traceparent'] : undefined);
    const facts = {
      address: this.#address,
      host: headers.host ?? '',
      requestId: this.#id,
      traceparent: this.#traceparent,
      protocol: context.publicOrigin.startsWith('https:') ? ('https' as const) : ('http' as const),
      vouched: live.vouchedHeader(peer),
      holder: null,
      arrivedAt: this.#startedAt,
      added: [REQUEST_ID_HEADER, this.#id],
    };
    this.#transit = new Transit(this.#exchange, live, facts, this);
  }

  serve(expectsContinue: boolean): void {
    const unreadable = wrongMessage(this.#req);
    if (unreadable) {
      this.answer(unreadable);
      return;
    }
    const metadata = metadataAnswer(this.#live.compiled, this.#exchange);
    if (metadata) {
      const stopped = decideFence(this.#live.compiled, this.#exchange);
      if (stopped) this.answer(stopped.finding);
      else this.#send(metadata, finding('route.matched', { api: 'gateway', operation: 'resource metadata', parameters: [] }));
      return;
    }
    this.#expectsContinue = expectsContinue;
    const verdict = this.#transit.decide();
    if (verdict instanceof Promise) {
      verdict.then(
        (decided) => this.#act(decided),
        (error: unknown) => this.#fault(error),
      );
    } else this.#act(verdict);
  }

  #act(verdict: Verdict): void {
    try {
      if (verdict.kind === 'answer') this.answer(verdict.finding);
      else {
        this.#forwarded = true;
        this.#seen = this.#context.sightings.begin(this.#exchange, this.#at);
        this.#transit.watch = this.#seen;
        this.#transit.forward();
      }
    } catch (error) {
      this.#fault(error);
    }
  }

  #fault(error: unknown): void {
    this.#context.fault(error);
    this.answer(finding('gateway.fault', { at: 'forwarding' }));
  }

  /** Called when the head has passed: only now is a caller that waits for it asked to send (RFC 9110 section 10.1.1). */
  body(): PassThrough | null {
    if (this.#expectsContinue) {
      this.#res.writeContinue();
      this.#expectsContinue = false;
    }
    if (this.#exchange.body === null) return null;
    this.#body = detached(
      this.#req,
      (part) => {
        this.#requestBytes += part.length;
        this.#transit.received(part);
      },
      () => this.#transit.receivedAll(),
    );
    return this.#body;
  }

  /** The answer is written, or the caller has gone: what this request held is given back. */
  closed(): void {
    this.#live.end();
    this.#exchange.end();
    if (!this.#forwarded || this.#res.writableFinished) return;
    this.#transit.abort();
    this.#record(499, finding('upstream.caller-left', { address: this.#transit.upstream?.address ?? '' }));
  }

  /** Cuts off a caller that sends or reads too slowly. Called now and then while the request is under way. @param now on the clock of `performance.now()` */
  look(now: number): void {
    if (!this.#forwarded) return;
    const { writableLength, writableNeedDrain, writableEnded } = this.#res;
    const { leastBytesPerSecond, paceMs } = this.#transit.upstream?.limits ?? UPSTREAM_LIMITS;
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

  get res(): ServerResponse {
    return this.#res;
  }

  /** The rest of the request cannot be read: it has broken off, or is no HTTP. */
  brokenOff(found: Finding): void {
    this.#brokenOff = true;
    if (!this.#recorded) return this.#cutOff(found);
    // It was answered already, and what is left of it was only read on.
    this.#whole?.leave();
    if (!this.#res.writableEnded) this.#res.end();
  }

  #cutOff(found: Finding): void {
    this.#transit.abort();
    if (this.#res.headersSent) this.cut(found);
    else this.answer(found);
  }

  start(status: number, headers: FieldList, resume: () => void): void {
    this.#resume = resume;
    this.#responseHeaders = headers;
    this.#announced = Number(valueOf(headers, 'content-length') ?? -1);
    this.#status = status;
    this.#waits = true;
  }

  /** Writes the head, which leaves with what comes behind it: while nothing has left, another answer can take its place. */
  #open(): void {
    if (!this.#waits) return;
    this.#waits = false;
    this.#res.sendDate = valueOf(this.#responseHeaders, 'date') === undefined;
    try {
      this.#res.writeHead(this.#status, this.#responseHeaders as string[]);
    } catch (error) {
      // Whoever calls this is about to end the request.
      this.#context.fault(error);
      this.#res.destroy();
    }
  }

  data(chunk: Buffer): boolean {
    this.#responseBytes += chunk.length;
    // A small answer that is whole leaves as one text with its head, every byte a character: one write instead of three.
    if (chunk.length === this.#announced && chunk.length <= SMALL_ANSWER) {
      this.#whole = new WholeBody(this.#res, chunk.toString('latin1'), 'latin1');
      return true;
    }
    this.#open();
    if (this.#res.write(chunk)) return true;
    this.#res.once('drain', () => this.#resume?.());
    return false;
  }

  end(found: Finding): void {
    const { instead = null, fields = null } = this.#exchange.answer ?? {};
    this.#delivered = instead === null && fields === null ? 'whole' : 'masked';
    const half = this.#body !== null && !this.#req.complete;
    this.#open();
    if (this.#whole === null) this.#res.end();
    else if (half) this.#whole.leave();
    else leaveTogether(this.#whole);
    // An upstream may answer before it has the whole body; what is left of it would keep the connection waiting.
    if (half) drainUpload(this.#req, (whole) => whole || this.#req.socket.destroySoon());
    this.#record(this.#status, found);
  }

  /** Half an answer cannot be taken back: the broken connection tells the caller. One of which nothing has left can. */
  cut(found: Finding): void {
    if (this.#waits) return this.answer(found);
    this.#record(this.#status, found);
    this.#res.destroy();
  }

  answer(found: Finding): void {
    this.#step(found);
    const { compiled } = this.#live;
    const context = { publicOrigin: this.#context.publicOrigin, requestId: this.#id, nonce: nonceFor(compiled, this.#exchange) };
    this.#send(answerOf(found, this.#exchange, context), found);
  }

  #send(answer: GatewayAnswer, found: Finding): void {
    const res = this.#res;
    this.#waits = false;
    if (!res.headersSent) {
      const headers: string[] = [REQUEST_ID_HEADER, this.#id];
      for (const [name, value] of Object.entries(answer.headers)) headers.push(name, value);
      const body = this.#req.method === 'HEAD' ? null : answer.body;
      if (answer.body !== null) headers.push('content-length', String(Buffer.byteLength(answer.body)));
      const bodyComes = !this.#expectsContinue && hasBodyOf(this.#req) && !this.#req.complete && !this.#brokenOff;
      if (bodyComes || this.#expectsContinue || this.#brokenOff) headers.push('connection', 'close');
      this.#responseHeaders = headers;
      this.#responseBytes = body?.length ?? 0;
      res.writeHead(answer.status, headers);
      // The whole answer goes out at once; the connection ends only when its sender has had the time to read it.
      if (body !== null && !bodyComes) {
        this.#whole = new WholeBody(res, body, 'utf8');
        leaveTogether(this.#whole);
      } else {
        if (body !== null) res.write(body);
        else if (bodyComes) res.flushHeaders();
        if (bodyComes) drainUpload(this.#req, () => res.end());
        else res.end();
      }
    }
    this.#record(answer.status, found);
  }

  /** Writes a finding down as a step, unless the decision or the way through the upstream did that already. */
  #step(found: Finding): void {
    const { steps } = this.#exchange;
    if (steps[steps.length - 1]?.finding === found || steps.some((taken) => taken.finding === found)) return;
    const { upstream, upstreamAt } = this.#transit;
    this.#exchange.took(upstream ? 'upstream' : 'message', found, performance.now() - (upstream ? upstreamAt : this.#startedAt));
  }

  #record(status: number, found: Finding): void {
    if (this.#recorded) return;
    this.#recorded = true;
    this.#step(found);
    const header = this.#req.headers[PROBE_HEADER];
    const isProbe = typeof header === 'string' && this.#context.isProbe(header);
    // What somebody tried out is no traffic.
    const seen = isProbe ? null : this.#seen?.done(this.#exchange, this.#at, this.#address, this.#delivered);
    if (seen) this.#context.sightings.hand(seen);
    this.#context.recorder.finish(
      this.#exchange,
      {
        id: this.#id,
        traceparent: this.#traceparent,
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
      isProbe,
    );
  }
}
