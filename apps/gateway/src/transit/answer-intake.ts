import type { BodyContent, BodyNeed, SeenAnswer } from '@virga/core';
import { headInstead, type Head } from './answer-head.js';
import { codingOf, readContent } from './decode-body.js';
import { HeldBody, notHeld } from './held-bodies.js';

/** What takes an answer in: the transit that it is on. */
export interface AnswerHost {
  /** Whom it counts for: a client, or an address where no client is known. */
  readonly holder: string;
  /** Sends the head of the answer to the caller. */
  begin(head: Head): void;
  /** @returns false when the caller is full */
  data(chunk: Buffer): boolean;
  /** Decides by the content of the answer. @returns whether it goes on */
  judge(): boolean;
  /** Whether the request has ended meanwhile. */
  over(): boolean;
  broken(error: unknown): void;
}

/** The body of an answer whose content is looked into: held until that is done, or read beside its way to the caller. */
export class AnswerIntake {
  readonly #host: AnswerHost;
  readonly #answer: SeenAnswer;
  readonly #need: BodyNeed;
  readonly #body: HeldBody;
  /** The head that waits for it; null where it is read beside its way. */
  #head: Head | null;
  /** It had more than is held and may pass so: the rest is not looked into. */
  #passed = false;

  constructor(host: AnswerHost, answer: SeenAnswer, need: BodyNeed, head: Head) {
    this.#host = host;
    this.#answer = answer;
    this.#need = need;
    this.#body = new HeldBody(need.limit, host.holder);
    this.#head = need.hold ? head : null;
  }

  /** A part of it has come. @returns whether there is room for more; null where it is not held and goes out by itself */
  take(chunk: Buffer): boolean | null {
    if (this.#passed) return null;
    const fits = this.#body.add(chunk);
    if (this.#head === null) return null;
    if (fits) return true;
    this.#answer.content = notHeld(this.#body, this.#need);
    if (!this.#host.judge()) return true;
    // It may pass without being looked into: what was held goes first.
    this.#passed = true;
    this.#begin(this.#head);
    let room = true;
    for (const part of [...this.#body.parts, chunk]) room = this.#host.data(part);
    this.#body.drop();
    return room;
  }

  #begin(head: Head): void {
    this.#head = null;
    this.#host.begin(head);
  }

  /** All of it has come. @param done called when it went out */
  end(done: () => void): void {
    if (this.#passed) return done();
    const { headers, status } = this.#answer;
    const coding = codingOf((name) => headers[name]?.toString(), status);
    const body = this.#body;
    const content = body.full === null ? readContent(body.whole(), coding, this.#need) : notHeld(body, this.#need);
    if (content instanceof Promise) void content.then((found) => this.#judge(found, done)).catch((error: unknown) => this.#host.broken(error));
    else this.#judge(content, done);
  }

  #judge(content: BodyContent, done: () => void): void {
    if (this.#host.over()) return;
    this.#answer.content = content;
    const whole = this.#body.whole();
    if (!this.#host.judge()) return;
    if (this.#head !== null) {
      const { instead } = this.#answer;
      const sent = instead === null ? whole : Buffer.from(instead);
      this.#begin(instead === null ? this.#head : headInstead(this.#head, sent.length));
      if (sent.length > 0) this.#host.data(sent);
    }
    this.#body.drop();
    done();
  }

  /** Gives back what is held. */
  drop(): void {
    this.#body.drop();
  }
}
