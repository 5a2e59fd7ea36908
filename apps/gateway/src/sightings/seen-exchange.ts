import { whoCalls, type Exchange } from '@virga/core';
import type { IncomingHttpHeaders } from 'node:http';
import { recordOf, type FieldList } from '../upstream/field-list.js';
import type { Delivered, SeenBytes, SeenRequest } from './sighting-messages.js';

/** Bytes of one body that are looked into. */
export const SEEN_BYTES = 256 * 1024;

/** The beginning of a body, by the pieces that it came in. */
class Beginning {
  readonly parts: Buffer[] = [];
  size = 0;
  cut = false;

  add(part: Buffer): void {
    const room = SEEN_BYTES - this.size;
    if (part.length > room) this.cut = true;
    if (room <= 0) return;
    const kept = part.length > room ? part.subarray(0, room) : part;
    this.parts.push(kept);
    this.size += kept.length;
  }

  /** A copy that can cross to another thread without being copied again. */
  seen(headers: IncomingHttpHeaders): SeenBytes | null {
    if (this.size === 0) return null;
    const bytes = new Uint8Array(this.size);
    let at = 0;
    for (const part of this.parts) {
      bytes.set(part, at);
      at += part.length;
    }
    return { type: headers['content-type'] ?? '', coding: headers['content-encoding'] ?? '', bytes, cut: this.cut };
  }
}

/** What is kept of one request while it is under way, for whoever looks into it afterwards. Pieces of bodies are kept, not copied. */
export class SeenExchange {
  readonly #request = new Beginning();
  readonly #answer = new Beginning();
  #status = 0;
  #headers: IncomingHttpHeaders = {};

  request(part: Buffer): void {
    this.#request.add(part);
  }

  started(status: number, headers: FieldList): void {
    this.#status = status;
    this.#headers = recordOf(headers);
  }

  answer(part: Buffer): void {
    this.#answer.add(part);
  }

  /** What crosses to the thread; null where no upstream answered. */
  done(exchange: Exchange, at: number, address: string, delivered: Delivered): SeenRequest | null {
    const { api, operation } = exchange;
    if (this.#status === 0 || api === null) return null;
    const caller = whoCalls(exchange);
    return {
      at,
      apiId: api.rule.id,
      operationId: operation?.rule.id ?? '',
      method: exchange.method,
      path: exchange.below,
      query: exchange.query,
      headers: flat(exchange.headers),
      request: this.#request.seen(exchange.headers as IncomingHttpHeaders),
      status: this.#status,
      answerHeaders: flat(this.#headers),
      answer: this.#answer.seen(this.#headers),
      caller: (caller?.client ?? caller?.subject ?? address).slice(0, 200),
      credentials: kindsOf(exchange),
      delivered,
    };
  }
}

/** What a request came with: what was proved; `unasked` for what stood in the usual place where nobody asked for anything. */
export function kindsOf({ credentials, headers }: Exchange): string[] {
  if (credentials.length > 0) return credentials.map(({ kind }) => kind);
  return headers['authorization'] === undefined ? [] : ['unasked'];
}

function flat(headers: Readonly<Record<string, string | readonly string[] | undefined>>): string[] {
  const out: string[] = [];
  for (const [name, value] of Object.entries(headers)) if (value !== undefined) out.push(name, typeof value === 'string' ? value : value.join(', '));
  return out;
}
