import type { Finding } from '@virga/core';
import type { Readable } from 'node:stream';
import type { FieldList } from '../upstream/field-list.js';
import type { ForwardFacts } from './forward-headers.js';

/** Who brings a request and takes its answer: a socket, or whoever tries a draft. */
export interface Carrier {
  /** The body to send up, asked for once: when the head has passed and the upstream is called. */
  body(): Readable | Buffer | null;
  /** The gateway answers itself; nothing of an answer has gone out. */
  answer(found: Finding): void;
  /** The upstream answers: status and header fields. `resume` is called when there is room again. */
  start(status: number, headers: FieldList, resume: () => void): void;
  /** @returns false when the receiver is full */
  data(chunk: Buffer): boolean;
  end(found: Finding): void;
  /** Half an answer has gone out and no more may. */
  cut(found: Finding): void;
}

/** Whoever looks at what passes. It keeps nothing waiting and changes nothing. */
export interface Watch {
  request(part: Buffer): void;
  started(status: number, headers: FieldList): void;
  answer(part: Buffer): void;
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
