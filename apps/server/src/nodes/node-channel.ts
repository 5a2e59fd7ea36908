import type { DirectoryChange } from '@virga/core';
import type { FeedMessage } from '@virga/protocol';

export type SendMessage = (message: FeedMessage) => void;
export type DirectoryPages = () => AsyncIterable<readonly DirectoryChange[]>;

/**
 * The feed of one connected node. While the whole directory goes down it in parts, changes of the directory wait behind
 * it, so that they arrive in order; everything else goes between the parts.
 */
export class NodeChannel {
  readonly send: SendMessage;
  #waiting: FeedMessage[] | null = null;
  #closed = false;

  constructor(send: SendMessage) {
    this.send = send;
  }

  get closed(): boolean {
    return this.#closed;
  }

  close(): void {
    this.#closed = true;
    this.#waiting = null;
  }

  /** Sends the whole directory as it is at this change. @throws what reading it throws */
  async sendWhole(number: number, pages: DirectoryPages): Promise<void> {
    this.#waiting = [];
    let first = true;
    let held: readonly DirectoryChange[] = [];
    for await (const changes of pages()) {
      if (this.#closed) return;
      if (!first || held.length > 0) {
        this.send({ type: 'directory', number, whole: { first, last: false }, changes: held });
        first = false;
      }
      held = changes;
    }
    if (this.#closed) return;
    this.send({ type: 'directory', number, whole: { first, last: true }, changes: held });
    const waiting = this.#waiting;
    this.#waiting = null;
    for (const message of waiting) this.send(message);
  }

  sendChange(message: FeedMessage): void {
    if (this.#waiting) this.#waiting.push(message);
    else this.send(message);
  }
}
