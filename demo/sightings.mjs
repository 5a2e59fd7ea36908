import { placesOf } from '../apps/gateway/dist/live-release.js';
import { kindsOf } from '../apps/gateway/dist/sightings/seen-exchange.js';
import { SightingDesk } from '../apps/gateway/dist/sightings/sighting-desk.js';
import { randomUUID } from 'node:crypto';

/** Looks into the calls of the history as a node does, by the node's own code. */
export class HistoryDesk {
  #desk = new SightingDesk();
  #taken = 0;

  constructor({ apis, detectors }) {
    this.#desk.follow({
      apis: apis.map(({ id, learning, sensitive }) => ({ id, learning, uses: sensitive.uses })),
      detectors,
      places: apis.flatMap(placesOf),
    });
  }

  /** @param answer what the upstream answered @param delivered how much of it the caller got */
  see(exchange, call, at, answer, delivered) {
    this.#taken++;
    const bytes = (type, content) => content && { type, coding: '', bytes: new Uint8Array(content), cut: false };
    this.#desk.see({
      at,
      apiId: exchange.api.rule.id,
      operationId: exchange.operation.rule.id,
      method: call.method,
      path: exchange.below,
      query: exchange.query,
      headers: Object.entries(exchange.headers).flat(),
      request: call.body ? bytes('application/json', Buffer.from(JSON.stringify(call.body))) : null,
      status: answer.status,
      answerHeaders: Object.entries(answer.headers).flat(),
      answer: bytes(answer.headers['content-type'] ?? '', answer.bytes),
      caller: exchange.credentials.length > 0 ? (call.caller?.client ?? call.address) : call.address,
      credentials: kindsOf(exchange),
      delivered,
    });
  }

  /** Tells the control plane what was learned and found. */
  async tell(control, nodeToken) {
    for (let apis = this.#desk.report(); apis; apis = this.#desk.report()) {
      await control.call('POST', '/nodes/v1/sightings', { id: randomUUID(), node: 'history', apis, taken: this.#taken, dropped: 0 }, nodeToken);
      this.#taken = 0;
    }
  }
}
