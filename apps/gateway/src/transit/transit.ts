import {
  corsHeaders,
  decide,
  decideContent,
  decidePhase,
  finding,
  rateFields,
  whenThere,
  type Awaitable,
  type BodyContent,
  type BodyNeed,
  type Exchange,
  type Finding,
  type LaterPhase,
  type OperationContract,
  type Verdict,
} from '@virga/core';
import type { IncomingHttpHeaders } from 'node:http';
import { performance } from 'node:perf_hooks';
import type { Readable } from 'node:stream';
import { readContent } from './decode-body.js';
import { headersBack, headersUp, queryUp, type ForwardFacts } from './forward-headers.js';
import { HeldBody, largerContent, notHeld } from './held-bodies.js';
import { RequestIntake, type GoOn } from './request-intake.js';
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

/** Whoever looks at what passes. It keeps nothing waiting and changes nothing. */
export interface Watch {
  request(part: Buffer): void;
  started(status: number, headers: IncomingHttpHeaders): void;
  answer(part: Buffer): void;
}

/** Status, header fields and how to go on: what `start` of a carrier takes. */
type Head = Parameters<Carrier['start']>;

/** The head of an answer that waits for its body. */
interface HeldAnswer {
  readonly head: Head;
  readonly need: BodyNeed;
  readonly body: HeldBody;
}

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
  /** The answer's body, held until it was looked into, with its head; or read beside its way. */
  #answerHeld: HeldAnswer | null = null;
  #answerBeside: { readonly need: BodyNeed; readonly body: HeldBody } | null = null;
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
    this.#answerHeld?.body.drop();
    this.#answerBeside?.body.drop();
    this.#answerHeld = null;
    this.#answerBeside = null;
  }

  /** Ends the request with what was found: as an answer while none has begun, else by breaking off. */
  stop(found: Finding): void {
    if (this.#over) return;
    this.abort();
    if (this.#started) this.#carrier.cut(found);
    else this.#carrier.answer(found);
  }

  /** More of the request's body has come. What was said of its length holds, since the parser holds it to that. */
  received(part: Buffer): void {
    const { body, operation } = this.exchange;
    const limit = operation?.needs.requestBytes ?? null;
    if (body === null) return;
    body.seen += part.length;
    this.#intake?.received(part);
    this.watch?.request(part);
    if (limit === null || this.#judgedRequest || body.bytes !== null || body.seen <= limit) return;
    this.#judgedRequest = true;
    this.#judge('request-body');
  }

  /** The whole body of the request has come: what was read beside its way is looked into. */
  receivedAll(): void {
    this.#intake?.receivedAll();
  }

  /** @returns whether the request goes on */
  #judge(phase: Exclude<LaterPhase, 'request-content'>): boolean {
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

  start(status: number, headers: IncomingHttpHeaders, resume: () => void): void {
    const { operation, caller } = this.exchange;
    this.watch?.started(status, headers);
    this.#answered = finding('upstream.answered', { status, address: this.#upstream?.address ?? '' });
    const need = operation?.needs.answerContent ?? null;
    if (operation && (operation.later['answer-head'] !== null || need !== null)) {
      const bodyless = isBodyless(this.exchange.method, status);
      this.exchange.answer = { status, headers, bodyless, bytes: lengthOf(bodyless, headers), seen: 0, content: null, instead: null, fields: null };
      this.#tookUpstream(this.#answered);
      if (!this.#judge('answer-head')) return;
    }
    const sent = (this.exchange.answer?.fields ?? headers) as IncomingHttpHeaders;
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
    const body = new HeldBody(need.limit, this.#holder);
    if (need.hold) this.#answerHeld = { head, need, body };
    else this.#answerBeside = { need, body };
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
    if (this.#answerHeld !== null) return this.#holdAnswer(chunk, this.#answerHeld);
    this.#answerBeside?.body.add(chunk);
    if (this.#held === null) return this.#carrier.data(chunk);
    if (this.#held.parts.length === 0) setImmediate(() => this.#release());
    this.#held.parts.push(chunk);
    return true;
  }

  #holdAnswer(chunk: Buffer, { head, need, body }: HeldAnswer): boolean {
    if (body.add(chunk)) return true;
    const { answer } = this.exchange;
    if (answer !== null) answer.content = notHeld(body, need);
    if (!this.#judge('answer-content')) return true;
    // It may pass without being looked into: what was held goes first.
    this.#answerHeld = null;
    this.#begin(head);
    let room = true;
    for (const part of [...body.parts, chunk]) room = this.#carrier.data(part);
    body.drop();
    return room;
  }

  end(): void {
    if (this.#over) return;
    const looked = this.#answerHeld ?? this.#answerBeside;
    if (looked === null) return this.#finish();
    const { answer } = this.exchange;
    const { need, body } = looked;
    if (answer === null) throw new Error('invariant: an answer that is looked into has begun');
    const coding = answer.headers['content-encoding'];
    const content = body.full === null ? readContent(body.whole(), typeof coding === 'string' ? coding : undefined, need) : notHeld(body, need);
    const judge = (found: BodyContent): void => {
      if (this.#over) return;
      answer.content = found;
      const whole = body.whole();
      if (!this.#judge('answer-content')) return;
      if (this.#answerHeld !== null) {
        const { head } = this.#answerHeld;
        this.#answerHeld = null;
        const sent = answer.instead === null ? whole : Buffer.from(answer.instead);
        this.#begin(answer.instead === null ? head : headInstead(head, sent.length));
        if (sent.length > 0) this.#carrier.data(sent);
      }
      body.drop();
      this.#finish();
    };
    if (content instanceof Promise) void content.then(judge).catch((error: unknown) => this.#broken(error));
    else judge(content);
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

/** Whether the content of an answer is looked into: whatever its contract reads, and every text where that is asked for. A stream has no end to wait for. */
function readsAnswer(need: BodyNeed, contract: OperationContract | null, status: number, type: string | undefined): boolean {
  if (need.everyText === true) return !/^\s*text\/event-stream/i.test(type ?? '');
  return contract?.readsAnswer(status, type) ?? true;
}

/** Fields that speak of the bytes of a body, which are others now. */
const OF_BYTES = new Set([
  'content-encoding',
  'content-length',
  'content-md5',
  'content-digest',
  'repr-digest',
  'digest',
  'etag',
  'accept-ranges',
  'transfer-encoding',
]);

/** The head of an answer whose body was changed. */
function headInstead([status, headers, resume]: Head, bytes: number): Head {
  const kept: string[] = [];
  for (let index = 0; index < headers.length; index += 2) {
    const name = headers[index] as string;
    if (!OF_BYTES.has(name.toLowerCase())) kept.push(name, headers[index + 1] as string);
  }
  return [status, [...kept, 'content-length', String(bytes)], resume];
}

/** Whether no content can follow the head of an answer (RFC 9110 section 6.4.1). */
const isBodyless = (method: string, status: number): boolean => method === 'HEAD' || status === 204 || status === 304;

/** The length of an answer's body as its head says it; null where it does not. */
function lengthOf(bodyless: boolean, headers: IncomingHttpHeaders): number | null {
  if (bodyless) return 0;
  const said = headers['content-length'];
  return typeof said === 'string' && /^\d{1,15}$/.test(said) ? Number(said) : null;
}
