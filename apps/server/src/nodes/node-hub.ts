import { Injectable } from '@nestjs/common';
import type {
  TriedAuthorizer,
  TryAuthorizerAsk,
  ExamineAsk,
  ExamineOutcome,
  FeedMessage,
  NodeAnswer,
  NodeStandings,
  NodeStatus,
  ProbeOutcome,
  ProbeRequest,
} from '@virga/protocol';
import type { DirectoryChange, KnownClient, ReleaseDocument, Revocation } from '@virga/core';
import { randomUUID } from 'node:crypto';
import { EventEmitter } from 'node:events';
import { Background } from '../http/background.js';
import { CarriedDocuments } from './carried-documents.js';
import { NodeChannel, type DirectoryPages, type SendMessage } from './node-channel.js';

/** One node as the control plane knows it. */
export interface KnownNode {
  readonly name: string;
  status: NodeStatus | null;
  seenAt: number;
  channel: NodeChannel | null;
}

interface LiveMessage {
  readonly number: number;
  readonly hash: string;
  readonly document: ReleaseDocument;
}

const ANSWER_MS = 30_000;

/** The gateway nodes: who is connected, what each serves, and how they are told and asked. */
@Injectable()
export class NodeHub {
  readonly #nodes = new Map<string, KnownNode>();
  readonly #asked = new Map<string, (answer: NodeAnswer) => void>();
  readonly #events = new EventEmitter().setMaxListeners(0);
  #live: LiveMessage | null = null;
  readonly #documents = new CarriedDocuments();
  #facts: FeedMessage = { type: 'private-facts', secrets: {}, revocations: [] };
  #pages: DirectoryPages = async function* () {};
  #directory = 0;
  readonly #background: Background;

  constructor(background: Background) {
    this.#background = background;
  }

  /** Where the whole directory comes from, for nodes that connect. */
  serveDirectory(pages: DirectoryPages): void {
    this.#pages = pages;
  }

  /** Number of the last change of the directory. */
  get directoryNumber(): number {
    return this.#directory;
  }

  /** Called with each status a node sends. */
  onStatus(listener: (status: NodeStatus) => void): void {
    this.#events.on('status', listener);
  }

  connect(name: string, send: SendMessage): void {
    const node = this.#nodes.get(name) ?? { name, status: null, seenAt: 0, channel: null };
    node.channel?.close();
    const channel = (node.channel = new NodeChannel(send));
    node.seenAt = Date.now();
    // What it said before belongs to a connection that is gone.
    if (node.status) node.status = { ...node.status, directory: null };
    this.#nodes.set(name, node);
    send({ type: 'hello', controlPlane: 'virga' });
    // Before the release, which may need them.
    send(this.#facts);
    this.#background.own(`Sending the directory to node ${name}`, async () => {
      await channel.sendWhole(this.#directory, this.#pages);
      if (!channel.closed && this.#live) send(this.#release(this.#live));
    });
    this.#events.emit('change');
  }

  disconnect(name: string, send: SendMessage): void {
    const node = this.#nodes.get(name);
    if (node?.channel?.send !== send) return;
    node.channel.close();
    node.channel = null;
  }

  /**
   * Tells all connected nodes what changed in the directory, and waits until each has it.
   * @returns how many were told and how many have it
   */
  async tellDirectory(changes: readonly DirectoryChange[], timeoutMs: number): Promise<{ told: number; live: number }> {
    const number = ++this.#directory;
    const told = this.connected;
    for (const node of told) node.channel?.sendChange({ type: 'directory', number, whole: null, changes });
    const live = () => told.filter((node) => (node.status?.directory ?? -1) >= number).length;
    const deadline = Date.now() + timeoutMs;
    while (live() < told.length && Date.now() < deadline && told.some((node) => node.channel)) await this.#change(deadline - Date.now());
    return { told: told.length, live: live() };
  }

  heartbeat(): void {
    for (const node of this.#nodes.values()) node.channel?.send({ type: 'heartbeat' });
  }

  takeStatus(status: NodeStatus): void {
    const node = this.#nodes.get(status.node) ?? { name: status.node, status: null, seenAt: 0, channel: null };
    node.status = status;
    node.seenAt = Date.now();
    this.#nodes.set(status.node, node);
    this.#events.emit('status', status);
    this.#events.emit('change');
  }

  takeAnswer(answer: NodeAnswer): void {
    this.#asked.get(answer.askId)?.(answer);
    this.#asked.delete(answer.askId);
  }

  get nodes(): readonly KnownNode[] {
    return [...this.#nodes.values()];
  }

  get connected(): readonly KnownNode[] {
    return this.nodes.filter((node) => node.channel !== null);
  }

  /** The JSON text of a part of a document that nodes were told of; null for one that nobody knows. */
  part(hash: string): string | null {
    return this.#documents.part(hash);
  }

  #release({ number, hash, document }: LiveMessage): FeedMessage {
    return { type: 'release', number, hash, document: this.#documents.carryLive(hash, document) };
  }

  /** Sets the release that nodes are given when they connect, without telling anybody. */
  begin(live: LiveMessage): void {
    this.#live = live;
  }

  /**
   * Tells all connected nodes of a release and waits until each has taken it.
   * @returns how many were told, how many serve it, and when the last one took it (milliseconds since the epoch)
   */
  async announce(live: LiveMessage, timeoutMs: number): Promise<{ told: number; live: number; effectiveAt: number | null }> {
    this.#live = live;
    const told = this.connected;
    const message = this.#release(live);
    for (const node of told) node.channel?.send(message);
    const serving = () => told.filter((node) => node.status?.release?.number === live.number);
    const deadline = Date.now() + timeoutMs;
    while (serving().length < told.length && Date.now() < deadline && !told.some((node) => node.status?.refusedRelease?.number === live.number)) {
      await this.#change(deadline - Date.now());
    }
    const times = serving().map((node) => node.status?.release?.effectiveAt ?? 0);
    return { told: told.length, live: times.length, effectiveAt: times.length > 0 ? Math.max(...times) : null };
  }

  #change(timeoutMs: number): Promise<void> {
    return new Promise((resolve) => {
      const done = (): void => {
        clearTimeout(timer);
        this.#events.off('change', done);
        resolve();
      };
      const timer = setTimeout(done, Math.max(1, timeoutMs));
      this.#events.on('change', done);
    });
  }

  /** Waits until some node is connected. */
  async waitForNode(timeoutMs: number): Promise<boolean> {
    const deadline = Date.now() + timeoutMs;
    while (this.connected.length === 0 && Date.now() < deadline) await this.#change(deadline - Date.now());
    return this.connected.length > 0;
  }

  /** Tells all nodes the secrets and revocations in force, and those that connect later. */
  tellFacts(secrets: Readonly<Record<string, string>>, revocations: readonly Revocation[]): void {
    this.#facts = { type: 'private-facts', secrets, revocations };
    for (const node of this.connected) node.channel?.send(this.#facts);
  }

  refreshProvider(providerId: string): void {
    for (const node of this.connected) node.channel?.send({ type: 'refresh-provider', askId: randomUUID(), providerId });
  }

  /** Lets a node decide a composed request by a draft; null when no node is connected. @throws when the node fails */
  async probe(hash: string, document: ReleaseDocument, request: ProbeRequest, forward: boolean): Promise<ProbeOutcome | null> {
    const answer = await this.#ask((askId) => ({ type: 'probe', askId, hash, document: this.#documents.carry(hash, document), request, forward }));
    if (answer === null) return null;
    if (answer.error !== null || !answer.probe) throw new Error(answer.error ?? 'the node gave no answer');
    return answer.probe;
  }

  /** Lets a node hold tokens against an operation; null when no node is connected. @throws when the node fails */
  async examine(hash: string, document: ReleaseDocument, request: ExamineAsk): Promise<readonly ExamineOutcome[] | null> {
    const answer = await this.#ask((askId) => ({ type: 'examine', askId, hash, document: this.#documents.carry(hash, document), request }));
    if (answer === null) return null;
    if (answer.error !== null || !answer.examined) throw new Error(answer.error ?? 'the node gave no answer');
    return answer.examined;
  }

  /** Lets a node ask an authorizer with inputs by hand; null when no node is connected. @throws when the node fails */
  async tryAuthorizer(request: TryAuthorizerAsk): Promise<readonly TriedAuthorizer[] | null> {
    const answer = await this.#ask((askId) => ({ type: 'try-authorizer', askId, request }));
    if (answer === null) return null;
    if (answer.error !== null || !answer.tried) throw new Error(answer.error ?? 'the node gave no answer');
    return answer.tried;
  }

  /** How the limits stand at a node that requests of a client are counted by. @throws when it does not say */
  async standingOf(node: string, client: KnownClient): Promise<NodeStandings> {
    const answer = await this.#ask((askId) => ({ type: 'limits-of', askId, client }), node);
    if (answer === null) throw new Error('it is not connected');
    if (answer.error !== null || !answer.standings) throw new Error(answer.error ?? 'it gave no answer');
    return answer.standings;
  }

  /** Tells all nodes to forget kept answers of an authorizer. */
  dropAnswers(name: string): void {
    for (const node of this.connected) node.channel?.send({ type: 'drop-answers', name });
  }

  /** @param name of the node to ask; any where left out */
  async #ask(message: (askId: string) => FeedMessage, name?: string): Promise<NodeAnswer | null> {
    const node = this.connected.find((one) => name === undefined || one.name === name);
    if (!node) return null;
    const askId = randomUUID();
    return new Promise<NodeAnswer>((resolve, reject) => {
      const timer = setTimeout(() => {
        this.#asked.delete(askId);
        reject(new Error(`the node ${node.name} did not answer within ${ANSWER_MS} ms`));
      }, ANSWER_MS);
      this.#asked.set(askId, (given) => {
        clearTimeout(timer);
        resolve(given);
      });
      node.channel?.send(message(askId));
    });
  }
}
