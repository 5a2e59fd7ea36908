import type { CredentialKind, DirectorySource, Holder, SubscriptionFact, TableRows } from '@virga/core';
import { MessageChannel, receiveMessageOnPort, type MessagePort } from 'node:worker_threads';

/** How long the serving thread may take to answer. Past it the step that asked fails, which refuses. */
const ANSWER_MS = 5000;

type Question = { readonly number: number } & (
  | { readonly kind: Exclude<CredentialKind, 'basic'>; readonly lookup: string }
  | { readonly kind: 'secrets'; readonly name: string }
  | { readonly kind: 'subscriptions'; readonly clientId: string }
  | { readonly kind: 'table'; readonly name: string }
  | { readonly kind: null }
);
interface Answer {
  readonly number: number;
  readonly found: Holder | readonly Holder[] | TableRows | readonly SubscriptionFact[] | boolean | null;
}

/** What a thread needs to ask the directory of another: transfer `port` with it. */
export interface DirectoryLine {
  readonly port: MessagePort;
  /** One number, raised with each answer. */
  readonly bell: SharedArrayBuffer;
}

/** Lets another thread ask the directory of this one, which is kept once. */
export function answerDirectory(directory: () => DirectorySource): DirectoryLine {
  const { port1, port2 } = new MessageChannel();
  const bell = new SharedArrayBuffer(4);
  const rung = new Int32Array(bell);
  port1.on('message', (question: Question) => {
    const found = answerTo(question, directory());
    port1.postMessage({ number: question.number, found } satisfies Answer);
    Atomics.add(rung, 0, 1);
    Atomics.notify(rung, 0);
  });
  port1.unref();
  return { port: port2, bell };
}

function answerTo(question: Question, source: DirectorySource): Answer['found'] {
  switch (question.kind) {
    case null:
      return source.joinsProviders;
    case 'table':
      return source.table(question.name);
    case 'secrets':
      return source.secretsOf(question.name);
    case 'subscriptions':
      return source.subscriptionsOf(question.clientId);
    default:
      return source.find(question.kind, question.lookup);
  }
}

/** The directory of another thread, asked one question at a time; this thread waits for the answer. */
export class AskedDirectory implements DirectorySource {
  readonly #port: MessagePort;
  readonly #bell: Int32Array;
  #number = 0;

  constructor({ port, bell }: DirectoryLine) {
    this.#port = port;
    this.#bell = new Int32Array(bell);
  }

  find(kind: Exclude<CredentialKind, 'basic'>, lookup: string): Holder | null {
    const found = this.#ask((number) => ({ number, kind, lookup }));
    return typeof found === 'object' && found !== null && 'credential' in found ? found : null;
  }

  secretsOf(name: string): readonly Holder[] {
    const found = this.#ask((number) => ({ number, kind: 'secrets', name }));
    return Array.isArray(found) ? (found as readonly Holder[]) : [];
  }

  subscriptionsOf(clientId: string): readonly SubscriptionFact[] {
    const found = this.#ask((number) => ({ number, kind: 'subscriptions', clientId }));
    return Array.isArray(found) ? (found as readonly SubscriptionFact[]) : [];
  }

  table(name: string): TableRows | null {
    const found = this.#ask((number) => ({ number, kind: 'table', name }));
    return found instanceof Map ? found : null;
  }

  get joinsProviders(): boolean {
    return this.#ask((number) => ({ number, kind: null })) === true;
  }

  /** @throws Error when no answer comes in time */
  #ask(question: (number: number) => Question): Answer['found'] {
    const number = ++this.#number;
    const until = performance.now() + ANSWER_MS;
    let heard = Atomics.load(this.#bell, 0);
    this.#port.postMessage(question(number));
    for (;;) {
      // The answer to an earlier question, which came too late, is passed over.
      for (let got = receiveMessageOnPort(this.#port); got; got = receiveMessageOnPort(this.#port)) {
        const answer = got.message as Answer;
        if (answer.number === number) return answer.found;
      }
      if (Atomics.wait(this.#bell, 0, heard, Math.max(0, until - performance.now())) === 'timed-out') throw new Error('the directory did not answer in time');
      heard = Atomics.load(this.#bell, 0);
    }
  }
}
