import { corsHeaders, decide, decidePhase, finding, type Exchange, type Finding, type LaterPhase, type Verdict } from '@virga/core';
import type { IncomingHttpHeaders } from 'node:http';
import { performance } from 'node:perf_hooks';
import type { Readable } from 'node:stream';
import { headersBack, headersUp, queryUp, type ForwardFacts } from './forward-headers.js';
import type { LiveRelease } from '../live-release.js';
import { Forwarding, type AnswerSink } from '../upstream/forward.js';
import type { Upstream } from '../upstream/pools.js';

/** Who brings a request and takes its answer: a socket, or whoever tries a draft. */
export interface Carrier {
  /** The body to send up, asked for once: when the head has passed and the upstream is called. */
  body(): Readable | Buffer | null;
  /** The gateway answers itself; nothing of an answer has gone out. */
  answer(found: Finding): void;
  /** The upstream answers: status and header fields as names and values in turn. `resume` is called when there is room again. */
  start(status: number, headers: readonly string[], resume: () => void): void;
  /** @returns false when the receiver is full */
  data(chunk: Buffer): boolean;
  end(found: Finding): void;
  /** Half an answer has gone out and no more may. */
  cut(found: Finding): void;
}

/** Status, header fields and how to go on: what `start` of a carrier takes. */
type Head = Parameters<Carrier['start']>;

/** What the upstream is told about a request beyond its own header fields. */
export interface TransitFacts extends ForwardFacts {
  /** Who counts as holding the connection, whoever calls; null for the caller, or the address where no client is known. */
  readonly holder: string | null;
  /** When the request arrived, on the clock of `performance.now()`. */
  readonly arrivedAt: number;
  /** Header fields that the gateway puts into the answer: names and values in turn. */
  readonly added: readonly string[];
}

/**
 * One request on its way through the phases of its operation, to the upstream and back, whoever carries it: live requests
 * and forwarded probes take the same way. A phase that no step belongs to costs one compare.
 */
export class Transit implements AnswerSink {
  readonly exchange: Exchange;
  readonly #live: LiveRelease;
  readonly #facts: TransitFacts;
  readonly #carrier: Carrier;
  #upstream: Upstream | null = null;
  #forwarding: Forwarding | null = null;
  #upstreamAt = 0;
  #answered: Finding | null = null;
  #held: { readonly head: Head; readonly parts: Buffer[] } | null = null;
  #started = false;
  #over = false;
  /** Phases of bodies that were judged: each is once, when its bound is passed. */
  #judgedRequest = false;
  #judgedAnswer = false;

  constructor(exchange: Exchange, live: LiveRelease, facts: TransitFacts, carrier: Carrier) {
    this.exchange = exchange;
    this.#live = live;
    this.#facts = facts;
    this.#carrier = carrier;
  }

  /** Null while no upstream was called. */
  get upstream(): Upstream | null {
    return this.#upstream;
  }

  /** When the upstream was called, on the clock of `performance.now()`; 0 while it was not. */
  get upstreamAt(): number {
    return this.#upstreamAt;
  }

  decide(): Verdict | Promise<Verdict> {
    return decide(this.#live.compiled, this.exchange);
  }

  /** Calls the upstream of the API that decided. */
  forward(): void {
    const { exchange } = this;
    const { holder, arrivedAt, address } = this.#facts;
    const { api, operation, caller } = exchange;
    const upstream = api ? this.#live.upstreams.get(api) : undefined;
    if (!api || !operation || !upstream) throw new Error('invariant: a forwarded request has an upstream');
    if (operation.api !== api.rule) throw new Error('invariant: the API that decided is the API whose upstream is called');
    this.#upstream = upstream;
    this.#upstreamAt = performance.now();
    const body = this.#carrier.body();
    const { withheld, lanes, passes } = operation;
    const rules = { withheld, ruled: this.#live.certificateHeader, lane: lanes.up, who: caller, passes, passed: exchange.passed };
    const headers = headersUp(exchange.headers as IncomingHttpHeaders, this.#facts, rules);
    const path = upstream.prefix + exchange.below + queryUp(exchange);
    this.#forwarding = new Forwarding(upstream, { method: exchange.method, path, headers, body, caller: holder ?? caller?.holds ?? address, arrivedAt }, this);
    this.#forwarding.send();
  }

  /** Ends the call of the upstream because of its caller: it left, or may not go on. */
  abort(): void {
    this.#over = true;
    this.#forwarding?.abort();
  }

  /** Ends the request with what was found: as an answer while none has begun, else by breaking off. */
  stop(found: Finding): void {
    if (this.#over) return;
    this.abort();
    if (this.#started) this.#carrier.cut(found);
    else this.#carrier.answer(found);
  }

  /** So many bytes more of the request's body have come. What was said of its length holds, since the parser holds it to that. */
  received(bytes: number): void {
    const { body, operation } = this.exchange;
    const limit = operation?.needs.requestBytes ?? null;
    if (body === null) return;
    body.seen += bytes;
    if (limit === null || this.#judgedRequest || body.bytes !== null || body.seen <= limit) return;
    this.#judgedRequest = true;
    this.#judge('request-body');
  }

  /** @returns whether the request goes on */
  #judge(phase: LaterPhase): boolean {
    const verdict = decidePhase(this.#live.compiled, this.exchange, phase);
    if (verdict === null) return true;
    this.stop(verdict.finding);
    return false;
  }

  start(status: number, headers: IncomingHttpHeaders, resume: () => void): void {
    const { operation, caller } = this.exchange;
    this.#answered = finding('upstream.answered', { status, address: this.#upstream?.address ?? '' });
    if (operation && operation.later['answer-head'] !== null) {
      this.exchange.answer = { bytes: lengthOf(this.exchange.method, status, headers), seen: 0 };
      this.#tookUpstream(this.#answered);
      if (!this.#judge('answer-head')) return;
    }
    const head: Head = [status, headersBack(headers, corsHeaders(this.exchange), this.#facts.added, operation?.lanes.back ?? null, caller), resume];
    // Where the length is bounded and not said, the head waits for what comes with it: that may be too much already.
    if (this.exchange.answer?.bytes === null && operation?.needs.answerBytes !== null) this.#held = { head, parts: [] };
    else this.#begin(head);
  }

  #begin(head: Head): void {
    this.#started = true;
    this.#carrier.start(...head);
  }

  /** Lets go what was held, unless the request has ended meanwhile. */
  #release(): void {
    const held = this.#held;
    this.#held = null;
    if (held === null || this.#over) return;
    this.#begin(held.head);
    for (const part of held.parts) this.#carrier.data(part);
  }

  data(chunk: Buffer): boolean {
    if (this.#over) return true;
    const { answer, operation } = this.exchange;
    if (answer !== null && !this.#judgedAnswer) {
      answer.seen += chunk.length;
      const limit = operation?.needs.answerBytes ?? null;
      if (limit !== null && answer.bytes === null && answer.seen > limit) {
        this.#judgedAnswer = true;
        if (!this.#judge('answer-body')) return true;
      }
    }
    if (this.#held === null) return this.#carrier.data(chunk);
    if (this.#held.parts.length === 0) setImmediate(() => this.#release());
    this.#held.parts.push(chunk);
    return true;
  }

  end(): void {
    if (this.#over) return;
    this.#release();
    this.#over = true;
    const found = this.#answered ?? finding('upstream.answered', { status: 0, address: this.#upstream?.address ?? '' });
    if (this.exchange.answer === null) this.#tookUpstream(found);
    this.#carrier.end(found);
  }

  fail(found: Finding, started: boolean): void {
    if (this.#over) return;
    this.#over = true;
    this.#tookUpstream(found);
    this.#held = null;
    if (started && this.#started) this.#carrier.cut(found);
    else this.#carrier.answer(found);
  }

  #tookUpstream(found: Finding): void {
    this.exchange.took('upstream', found, performance.now() - this.#upstreamAt);
  }
}

/** The length of an answer's body as its head says it; null where it does not. */
function lengthOf(method: string, status: number, headers: IncomingHttpHeaders): number | null {
  if (method === 'HEAD' || status === 204 || status === 304) return 0;
  const said = headers['content-length'];
  return typeof said === 'string' && /^\d{1,15}$/.test(said) ? Number(said) : null;
}
