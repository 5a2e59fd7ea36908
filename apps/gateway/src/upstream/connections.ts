import { Client, type buildConnector } from 'undici';

/** How long a connection that carries nothing is kept, milliseconds; upstreams close theirs after five seconds (common practice). */
const KEEP_ALIVE_MS = 4000;

/**
 * Connections of one kind to one upstream, each for one request at a time. Whoever takes one holds a berth of the
 * upstream, which is what bounds their number: a pool that waits and counts once more would be work for nothing. The one
 * used last is used next, so that those beyond what is needed close by themselves.
 */
export class Connections {
  readonly #origin: string;
  readonly #connect: buildConnector.connector;
  readonly #all: Client[] = [];
  readonly #free: Client[] = [];
  /** Given back in this turn of the event loop: an upstream that closes in spite of what it said has done so by the next. */
  readonly #resting: Client[] = [];
  readonly #rested = (): void => {
    for (const client of this.#resting.splice(0)) this.#free.push(client);
  };

  constructor(origin: string, connect: buildConnector.connector) {
    this.#origin = origin;
    this.#connect = connect;
  }

  /** Made when none is free. To be given back once. */
  take(): Client {
    return this.#free.pop() ?? this.#resting.shift() ?? this.#make();
  }

  give(client: Client): void {
    if (this.#resting.push(client) === 1) setImmediate(this.#rested);
  }

  #make(): Client {
    const client = new Client(this.#origin, { pipelining: 1, keepAliveTimeout: KEEP_ALIVE_MS, connect: this.#connect });
    this.#all.push(client);
    return client;
  }

  /** Takes nothing more, and lets what is under way end. */
  async close(): Promise<void> {
    await Promise.all(this.#all.map((client) => client.close()));
  }

  async destroy(): Promise<void> {
    await Promise.all(this.#all.map((client) => client.destroy()));
  }
}
