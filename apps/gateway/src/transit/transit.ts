import {
  corsHeaders,
  decide,
  decideBody,
  decideContent,
  decidePhase,
  finding,
  rateFields,
  whenThere,
  type Awaitable,
  type BodyNeed,
  type Exchange,
  type Finding,
  type LaterPhase,
  type Verdict,
} from '@virga/core';
import type { IncomingHttpHeaders } from 'node:http';
import { performance } from 'node:perf_hooks';
import type { Readable } from 'node:stream';
import { isBodyless, lengthOf, readsAnswer, type Head } from './answer-head.js';
import { AnswerIntake } from './answer-intake.js';
import type { Carrier, TransitFacts, Watch } from './carrier.js';
import { listOf, recordOf, type FieldList } from '../upstream/field-list.js';
import { headersBack, headersUp, queryUp } from './forward-headers.js';
import { largerContent } from './held-bodies.js';
import { RequestIntake, type GoOn } from './request-intake.js';
import type { LiveRelease } from '../live-release.js';
import { Forwarding, type AnswerSink } from '../upstream/forward.js';
import type { Upstream } from '../upstream/pools.js';

/**
 * One request on its way through the phases of its operation, to the upstream and back, whoever carries it: live requests
 * and forwarded probes take the same way. A phase that no step belongs to costs one compare.
 */
export class Transit implements AnswerSink {
  readonly exchange: Exchange;
  /** Who looks at what goes up and what comes back, beside its way; null for nobody. */
  watch: Watch | null = null;
  readonly #live: LiveRelease;
  readonly #facts: TransitFacts;
  readonly #carrier: Carrier;
  #upstream: Upstream | null = null;
  #forwarding: Forwarding | null = null;
  #upstreamAt = 0;
  #answered: Finding | null = null;
  #held: { readonly head: Head; readonly parts: Buffer[] } | null = null;
  /** What takes the request's body in, where its content is looked into. */
  #intake: RequestIntake | null = null;
  /** What takes the answer's body in, where its content is looked into. */
  #answerIntake: AnswerIntake | null = null;
  #started = false;
  #over = false;
  /** Whether the answer's body was judged: once, when its bound is passed. */
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

  /** Who counts as holding what this request holds. */
  get #holder(): string {
    return this.#facts.holder ?? this.exchange.caller?.holds ?? this.#facts.address;
  }

  decide(): Verdict | Promise<Verdict> {
    return decide(this.#live.compiled, this.exchange);
  }

  /** Takes the request in as far as it is looked into before it may go on, then calls the upstream of the API that decided. */
  forward(): void {
    this.takeIn((body, arrivedAt) => this.#call(body, arrivedAt));
  }

  /** Takes the request's body in where its content decides; does not go on where it was refused. */
  takeIn(next: GoOn): void {
    const need = this.exchange.operation?.needs.requestContent ?? null;
    const { arrivedAt } = this.#facts;
    if (need === null) return next(this.#carrier.body(), arrivedAt);
    const host = {
      exchange: this.exchange,
      holder: this.#holder,
      body: () => this.#carrier.body(),
      judge: () => this.#judgeContent(),
      over: () => this.#over,
      broken: (error: unknown) => this.#broken(error),
    };
    this.#intake = new RequestIntake(host, need);
    this.#intake.take(arrivedAt, next);
  }

  /** A fault where a body was taken in is a refusal. */
  #broken(error: unknown): void {
    this.#live.compiled.ports.fault(error, 'contract');
    this.stop(finding('gateway.fault', { at: 'contract' }));
  }

  #call(body: Readable | Buffer | null, arrivedAt: number): void {
    const { exchange } = this;
    const { api, operation, caller } = exchange;
    const upstream = api ? this.#live.upstreams.get(api) : undefined;
    if (!api || !operation || !upstream) throw new Error('invariant: a forwarded request has an upstream');
    if (operation.api !== api.rule) throw new Error('invariant: the API that decided is the API whose upstream is called');
    this.#upstream = upstream;
    this.#upstreamAt = performance.now();
    const { withheld, lanes, passes, needs } = operation;
    const rules = {
      withheld,
      ruled: this.#live.certificateHeader,
      lane: lanes.up,
      who: caller,
      passes,
      passed: exchange.passed,
      uncoded: needs.answerContent !== null,
      whole: needs.answerContent?.hold === true,
      callerFields: api.rule.upstream.callerFields,
    };
    const headers = headersUp(exchange.headers as IncomingHttpHeaders, this.#facts, rules);
    const path = upstream.prefix + exchange.below + queryUp(exchange);
    this.#forwarding = new Forwarding(upstream, { method: exchange.method, path, headers, body, caller: this.#holder, arrivedAt }, this);
    this.#forwarding.send();
  }

  /** Ends the call of the upstream because of its caller: it left, or may not go on. */
  abort(): void {
    this.#over = true;
    this.#letGo();
    this.#forwarding?.abort();
  }

  /** Gives back what was held of bodies. */
  #letGo(): void {
    this.#intake?.drop();
    this.#answerIntake?.drop();
    this.#answerIntake = null;
  }

  /** Ends the request with what was found: as an answer while none has begun, else by breaking off. */
  stop(found: Finding): void {
    if (this.#over) return;
    this.abort();
    if (this.#started) this.#carrier.cut(found);
    else this.#carrier.answer(found);
  }

  /** More of the request's body has come. */
  received(part: Buffer): void {
    const { body } = this.exchange;
    if (body === null) return;
    const before = body.seen;
    body.seen += part.length;
    this.#intake?.received(part);
    this.watch?.request(part);
    if (!this.#over) this.#goesOn(decideBody(this.#live.compiled, this.exchange, before));
  }

  /** The whole body of the request has come: what was read beside its way is looked into. */
  receivedAll(): void {
    this.#intake?.receivedAll();
  }

  /** @returns whether the request goes on */
  #judge(phase: Exclude<LaterPhase, 'request-body' | 'request-content'>): boolean {
    return this.#goesOn(decidePhase(this.#live.compiled, this.exchange, phase));
  }

  /** The same by the content of the request's body; waits only where an authorizer is asked. */
  #judgeContent(): Awaitable<boolean> {
    return whenThere(decideContent(this.#live.compiled, this.exchange), (verdict) => this.#goesOn(verdict));
  }

  #goesOn(verdict: Verdict | null): boolean {
    if (verdict === null) return true;
    this.stop(verdict.finding);
    return false;
  }

  start(status: number, list: FieldList, resume: () => void): void {
    const { operation, caller } = this.exchange;
    this.watch?.started(status, list);
    this.#answered = finding('upstream.answered', { status, address: this.#upstream?.address ?? '' });
    const need = operation?.needs.answerContent ?? null;
    if (operation && (operation.later['answer-head'] !== null || need !== null)) {
      const bodyless = isBodyless(this.exchange.method, status);
      const headers = recordOf(list);
      this.exchange.answer = { status, headers, bodyless, bytes: lengthOf(bodyless, headers), seen: 0, content: null, instead: null, fields: null };
      this.#tookUpstream(this.#answered);
      if (!this.#judge('answer-head')) return;
    }
    const fields = this.exchange.answer?.fields ?? null;
    const sent = fields === null ? list : listOf(fields);
    const rate = rateFields(this.exchange, this.#live.compiled.document.counting.tell, false);
    const added = rate.length === 0 ? this.#facts.added : [...this.#facts.added, ...rate];
    const head: Head = [status, headersBack(sent, corsHeaders(this.exchange), added, operation?.lanes.back ?? null, caller), resume];
    if (need !== null && !this.#lookInto(need, head)) return;
    // Where the length is bounded and not said, the head waits for what comes with it: that may be too much already.
    if (this.exchange.answer?.bytes === null && operation?.needs.answerBytes !== null) this.#held = { head, parts: [] };
    else this.#begin(head);
  }

  /** Begins to read an answer whose content decides, or is observed. @returns whether its head goes out now */
  #lookInto(need: BodyNeed, head: Head): boolean {
    const { answer, operation } = this.exchange;
    if (answer === null || answer.bodyless) return true;
    const type = answer.headers['content-type'];
    const reads = readsAnswer(need, operation?.contract ?? null, answer.status, typeof type === 'string' ? type : undefined);
    if (!reads || (answer.bytes !== null && answer.bytes > need.limit)) {
      answer.content = reads ? largerContent(need) : { kind: 'unfinished' };
      return this.#judge('answer-content');
    }
    const host = {
      holder: this.#holder,
      begin: (ready: Head) => this.#begin(ready),
      data: (chunk: Buffer) => this.#carrier.data(chunk),
      judge: () => this.#judge('answer-content'),
      over: () => this.#over,
      broken: (error: unknown) => this.#broken(error),
    };
    this.#answerIntake = new AnswerIntake(host, answer, need, head);
    return !need.hold;
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
    this.watch?.answer(chunk);
    const { answer, operation } = this.exchange;
    if (answer !== null && !this.#judgedAnswer) {
      answer.seen += chunk.length;
      const limit = operation?.needs.answerBytes ?? null;
      if (limit !== null && answer.bytes === null && answer.seen > limit) {
        this.#judgedAnswer = true;
        if (!this.#judge('answer-body')) return true;
      }
    }
    const room = this.#answerIntake?.take(chunk) ?? null;
    if (room !== null) return room;
    if (this.#held === null) return this.#carrier.data(chunk);
    if (this.#held.parts.length === 0) setImmediate(() => this.#release());
    this.#held.parts.push(chunk);
    return true;
  }

  end(): void {
    if (this.#over) return;
    if (this.#answerIntake === null) this.#finish();
    else this.#answerIntake.end(() => this.#finish());
  }

  #finish(): void {
    this.#release();
    this.#intake?.answered();
    this.#over = true;
    this.#letGo();
    const found = this.#answered ?? finding('upstream.answered', { status: 0, address: this.#upstream?.address ?? '' });
    if (this.exchange.answer === null) this.#tookUpstream(found);
    this.#carrier.end(found);
  }

  fail(found: Finding, started: boolean): void {
    if (this.#over) return;
    this.#over = true;
    this.#tookUpstream(found);
    this.#held = null;
    this.#letGo();
    if (started && this.#started) this.#carrier.cut(found);
    else this.#carrier.answer(found);
  }

  #tookUpstream(found: Finding): void {
    this.exchange.took('upstream', found, performance.now() - this.#upstreamAt);
  }
}
