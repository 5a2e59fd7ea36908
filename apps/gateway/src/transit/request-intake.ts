import { whenThere, type Awaitable, type BodyContent, type BodyNeed, type Exchange, type SeenBody } from '@virga/core';
import { performance } from 'node:perf_hooks';
import { PassThrough, type Readable } from 'node:stream';
import { codingOf, readContent } from './decode-body.js';
import { HeldBody, largerContent, notHeld } from './held-bodies.js';

/** What takes a request in: the transit that it is on. */
export interface IntakeHost {
  readonly exchange: Exchange;
  /** Whom it counts for: a client, or an address where no client is known. */
  readonly holder: string;
  /** The body to send up, asked for once. */
  body(): Readable | Buffer | null;
  /** Decides by the content of the body; waits only where an authorizer is asked. @returns whether the request goes on */
  judge(): Awaitable<boolean>;
  /** Whether the request has ended meanwhile. */
  over(): boolean;
  broken(error: unknown): void;
}

/** How a request goes on: with the body to send, and when it counts as arrived. */
export type GoOn = (body: Readable | Buffer | null, arrivedAt: number) => void;

/** The body of a request whose content is looked into: held until that is done, or read beside its way to the upstream. */
export class RequestIntake {
  readonly #host: IntakeHost;
  readonly #need: BodyNeed;
  #held: HeldBody | null = null;
  #beside: HeldBody | null = null;

  constructor(host: IntakeHost, need: BodyNeed) {
    this.#host = host;
    this.#need = need;
  }

  /** Takes the body in; does not go on where it was refused. @param arrivedAt when the request arrived, on the clock of `performance.now()` */
  take(arrivedAt: number, next: GoOn): void {
    const { exchange } = this.#host;
    const { body } = exchange;
    if (body === null) return this.#judgeThen(() => next(this.#host.body(), arrivedAt));
    // What is said to be too large is neither asked for nor held.
    if (body.bytes !== null && body.bytes > this.#need.limit) {
      body.content = largerContent(this.#need);
      return this.#judgeThen(() => next(this.#host.body(), arrivedAt));
    }
    const sent = this.#host.body();
    if (!this.#need.hold) {
      this.#beside = new HeldBody(this.#need.limit, this.#host.holder);
      return next(sent, arrivedAt);
    }
    const held = (this.#held = new HeldBody(this.#need.limit, this.#host.holder));
    if (sent === null || Buffer.isBuffer(sent)) {
      if (sent !== null) held.add(sent);
      void this.#takeWhole(body, held, next);
    } else this.#hold(sent, body, held, next);
  }

  /** Goes on with a request that may, at once where nothing has to be waited for, unless it has ended meanwhile. */
  #judgeThen(goOn: () => void, refused: () => void = () => undefined): void {
    const settle = (mayPass: boolean): void => {
      if (this.#host.over()) refused();
      else if (mayPass) goOn();
    };
    const judged = whenThere(this.#host.judge(), settle);
    if (judged instanceof Promise) judged.catch((error: unknown) => this.#host.broken(error));
  }

  /** Holds what comes until it is whole, or more than is held. */
  #hold(sent: Readable, body: SeenBody, held: HeldBody, next: GoOn): void {
    const stopListening = (): void => {
      sent.off('data', take);
      sent.off('end', finish);
      sent.off('close', gone);
    };
    const gone = (): void => {
      stopListening();
      held.drop();
    };
    const finish = (): void => {
      stopListening();
      void this.#takeWhole(body, held, next);
    };
    const take = (part: Buffer): void => {
      if (this.#host.over()) return gone();
      if (held.add(part)) return;
      stopListening();
      sent.pause();
      body.content = notHeld(held, this.#need);
      const { parts } = held;
      this.#judgeThen(
        () => {
          next(joined([...parts, part], sent), performance.now());
          held.drop();
        },
        () => {
          sent.resume();
          held.drop();
        },
      );
    };
    sent.on('data', take);
    sent.once('end', finish);
    sent.once('close', gone);
  }

  async #takeWhole(body: SeenBody, held: HeldBody, next: GoOn): Promise<void> {
    try {
      const whole = held.whole();
      body.content = held.full === null ? await readContent(whole, this.#coding, this.#need) : notHeld(held, this.#need);
      if (this.#host.over()) return;
      // The time that a caller takes to send is not the upstream's.
      const mayPass = await this.#host.judge();
      if (mayPass && !this.#host.over()) next(whole, performance.now());
    } catch (error) {
      this.#host.broken(error);
    } finally {
      held.drop();
    }
  }

  get #coding(): string | undefined {
    return codingOf((name) => this.#host.exchange.header(name));
  }

  /** More of it has come. */
  received(part: Buffer): void {
    this.#beside?.add(part);
  }

  /** All of it has come: what was read beside its way is looked into. */
  receivedAll(): void {
    const beside = this.#beside;
    if (beside === null) return;
    const content = beside.full === null ? readContent(beside.whole(), this.#coding, this.#need) : notHeld(beside, this.#need);
    const judge = (found: BodyContent): void => {
      if (this.#beside === beside) this.#judgeBeside(found);
    };
    if (content instanceof Promise) void content.then(judge).catch((error: unknown) => this.#host.broken(error));
    else judge(content);
  }

  /** The answer has come to its end, whatever is left of the request. */
  answered(): void {
    if (this.#beside !== null) this.#judgeBeside({ kind: 'unfinished' });
  }

  #judgeBeside(content: BodyContent): void {
    const { body } = this.#host.exchange;
    this.#beside?.drop();
    this.#beside = null;
    if (body === null) return;
    body.content = content;
    this.#judgeThen(() => undefined);
  }

  /** Gives back what is held. */
  drop(): void {
    this.#held?.drop();
    this.#beside?.drop();
    this.#beside = null;
  }
}

/** What has come, and then the rest. */
function joined(parts: readonly Buffer[], rest: Readable): Readable {
  const on = new PassThrough();
  on.on('error', () => undefined);
  for (const part of parts) on.write(part);
  rest.pipe(on);
  return on;
}
