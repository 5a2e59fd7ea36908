import { LocalReplayMemory, TokenCache, USUAL_COUNTING, type KeySource, type KnownClient, type ReplayMemory } from '@virga/core';
import { askBySource, Introspector, ProviderKeys, type KeptKeys } from '@virga/outbound';
import { FEED_VERSION, originAt, type FeedMessage, type NodeStatus } from '@virga/protocol/node';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { performance } from 'node:perf_hooks';
import { setTimeout as delay } from 'node:timers/promises';
import { askParts } from './control/ask-parts.js';
import { NodeAuthorizers } from './authorizers/node-authorizers.js';
import { NodeContracts } from './contracts/node-contracts.js';
import { ControlLink } from './control/control-link.js';
import { DocumentParts } from './control/document-parts.js';
import { Reports } from './control/reports.js';
import { NodeCounters } from './counters/node-counters.js';
import { SharedGuesses } from './counters/shared-guesses.js';
import { SharedReplay } from './counters/shared-replay.js';
import { standingOf } from './counters/standing-of.js';
import { GatewayListener } from './listener/gateway-listener.js';
import type { ServeContext } from './listener/serve-request.js';
import type { NodeOptions } from './node-options.js';
import { Nonces } from './ports/nonces.js';
import { nodePorts } from './ports/node-ports.js';
import { ClientDirectory } from './ports/client-directory.js';
import { PrivateFacts } from './ports/private-facts.js';
import { reportProviders } from './ports/report-providers.js';
import type { AboutDraft } from './probe/draft-messages.js';
import { DraftThread } from './probe/draft-thread.js';
import { markedCaller } from './probe/marked-caller.js';
import { isSigned } from './probe/signed-probe.js';
import { Recorder } from './records/recorder.js';
import { ReleaseLane } from './release-lane.js';
import { SightingThread } from './sightings/sighting-thread.js';
import { Snapshot } from './snapshot/snapshot.js';
import { SealedFile } from './snapshot/sealed-file.js';
import { UpstreamPools } from './upstream/pools.js';
import { warmUp } from './warm-up.js';

/** How often records of requests are sent. */
const RECORDS_MS = 200;
const STATUS_MS = 2000;
/** How often it is told what was learned and found. */
const SIGHTINGS_MS = 1000;
const KEYS_TICK_MS = 1000;
/** How often waiting requests and the pace of transfers are looked at. */
const TRANSFERS_TICK_MS = 250;
const DRAIN_MS = 10_000;
/** How long a node that stops waits for its disk. */
const SETTLE_MS = 3000;
/** How long what was found wrong on disk at the start is told: also after the control plane has sent what is right. */
const TELL_MS = 3_600_000;

/** A gateway node: serves its release, follows the control plane, sends records. */
export class GatewayNode {
  readonly #options: NodeOptions;
  readonly #keys: ProviderKeys;
  readonly #introspector: Introspector;
  readonly #facts: PrivateFacts;
  readonly #directory: ClientDirectory;
  readonly #nonces: Nonces;
  readonly #pools = new UpstreamPools();
  readonly #drafts: DraftThread;
  readonly #releases: ReleaseLane;
  readonly #snapshot: Snapshot;
  readonly #keptKeys: SealedFile;
  /** Proofs that were used. It belongs to the node: no release begins with an empty one. */
  #replay = this.#remember(new LocalReplayMemory());
  readonly #tokens = new TokenCache();
  readonly #authorizers: NodeAuthorizers;
  readonly #contracts: NodeContracts;
  readonly #counters: NodeCounters;
  readonly #guesses = new SharedGuesses((demands) => this.#counters.together(demands));
  readonly #sightings: SightingThread;
  /** What was found wrong on disk at the start, in words. */
  #startProblem: string | null = null;
  readonly #recorder: Recorder;
  readonly #link: ControlLink;
  readonly #reports: Reports;
  readonly #startedAt = Date.now();
  readonly #timers: NodeJS.Timeout[] = [];
  #listener: GatewayListener | null = null;
  #tlsListener: GatewayListener | null = null;
  #tlsOrigin: string | null = null;
  #publicOrigin = '';

  constructor(options: NodeOptions) {
    this.#options = options;
    this.#recorder = new Recorder(options.name);
    this.#facts = new PrivateFacts(options.token, join(options.folder, 'private-facts'));
    this.#directory = new ClientDirectory(options.token, join(options.folder, 'directory.sealed'));
    this.#nonces = new Nonces(options.token);
    this.#authorizers = new NodeAuthorizers(this.#facts, options.log);
    this.#snapshot = new Snapshot(options.token, join(options.folder, 'release.sealed'));
    this.#keptKeys = new SealedFile(options.token, 'the last good keys', join(options.folder, 'keys.sealed'));
    const changed = (): void => {
      void this.#keptKeys.write(this.#keys.keep());
      void this.#sendStatus();
    };
    this.#keys = new ProviderKeys(Date.now, changed, askBySource(this.#facts));
    this.#introspector = new Introspector(this.#facts, Date.now, changed);
    const { controlUrl, token, log } = options;
    this.#contracts = new NodeContracts({ controlUrl, token, folder: join(options.folder, 'contracts'), log });
    this.#counters = new NodeCounters({
      token,
      file: join(options.folder, 'quotas.sealed'),
      redisUrl: options.redisUrl ?? null,
      rule: () => this.#releases.live?.compiled.document.counting ?? USUAL_COUNTING,
      log,
    });
    this.#sightings = new SightingThread(log);
    this.#releases = new ReleaseLane({
      keys: this.#keys,
      introspector: this.#introspector,
      pools: this.#pools,
      snapshot: this.#snapshot,
      contracts: this.#contracts,
      sightings: this.#sightings,
      parts: new DocumentParts((hashes) => askParts({ controlUrl, token }, hashes), 1),
      ports: (keys) => this.#portsWith(keys),
      known: () => ({ withFacts: this.#facts.heard !== null, withDirectory: this.#directory.number !== null }),
      log,
    });
    this.#drafts = new DraftThread({ controlUrl, token, directory: () => this.#directory.source, facts: () => this.#facts.heard, log });
    this.#link = new ControlLink({
      controlUrl: options.controlUrl,
      token: options.token,
      node: options.name,
      log: options.log,
      onConnected: () => void this.#sendStatus(),
      onMessage: (message) => this.#hear(message),
    });
    this.#reports = new Reports(this.#link, this.#recorder, this.#sightings);
  }

  /** @returns the address the gateway listens at */
  async start(): Promise<string> {
    this.#contracts.start();
    await this.#restore();
    await warmUp().catch((error: unknown) => this.#fault(error, 'warming up'));
    const context = {
      recorder: this.#recorder,
      sightings: this.#sightings,
      publicOrigin: this.#options.publicOrigin ?? originAt(this.#options.host, this.#options.port),
      isProbe: (header: string) => isSigned(header, this.#options.token),
      markedCaller: (mark: string) => markedCaller(mark, this.#options.token, Date.now()),
      fault: (error: unknown) => this.#fault(error, 'forwarding'),
    };
    const listener = new GatewayListener(context, () => this.#releases.live);
    const port = await listener.listen(this.#options.port, this.#options.host);
    context.publicOrigin = this.#options.publicOrigin ?? originAt(this.#options.host, port);
    this.#publicOrigin = context.publicOrigin;
    this.#listener = listener;
    await this.#listenTls(context);
    void this.#link.run();
    this.#timers.push(
      setInterval(() => void this.#reports.records(), RECORDS_MS),
      setInterval(() => void this.#reports.sightings(), SIGHTINGS_MS),
      setInterval(() => void this.#sendStatus(), STATUS_MS),
      setInterval(() => this.#tick(), KEYS_TICK_MS),
      setInterval(() => this.#tickTransfers(), TRANSFERS_TICK_MS),
    );
    return context.publicOrigin;
  }

  /** Lets requests in flight end, sends the last records, stops. */
  async stop(): Promise<void> {
    for (const timer of this.#timers) clearInterval(timer);
    await Promise.all([this.#listener?.drain(DRAIN_MS), this.#tlsListener?.drain(DRAIN_MS)]);
    await this.#reports.rest();
    this.#link.stop();
    this.#counters.close();
    const kept = [this.#releases, this.#facts, this.#directory, this.#keptKeys, this.#counters].map((one) => one.settle());
    await Promise.race([Promise.all(kept), delay(SETTLE_MS, undefined, { ref: false })]);
    await Promise.all([
      this.#contracts.stop(),
      this.#sightings.stop(),
      this.#drafts.stop(),
      this.#pools.close(),
      this.#introspector.close(),
      this.#authorizers.close(),
    ]);
  }

  /**
   * Reads what the node kept: private facts first, then keys, then the release. A release is served again only when it
   * was sealed by this node, and when secrets and revocations are there that were known with it.
   */
  async #restore(): Promise<void> {
    const factsRead = await this.#facts.restore();
    const directoryRead = await this.#directory.restore();
    await this.#counters.restore();
    const keys = await this.#keptKeys.read();
    if (keys.state === 'read') await this.#keys.recall(keys.value as KeptKeys[]);
    const snapshot = await this.#snapshot.read();
    if (snapshot !== null) this.#replay = this.#remember(new LocalReplayMemory(Date.now()));
    if (snapshot === 'unreadable')
      return this.#distrust(
        'the release that was kept on disk was changed or belongs to another node; it was not served, the node waited for the control plane',
      );
    if (!factsRead)
      return this.#distrust('the secrets and revocations that were kept on disk could not be read; nothing was served until the control plane sent them');
    if (!directoryRead) return this.#distrust('the clients that were kept on disk could not be read; nothing was served until the control plane sent them');
    if (snapshot === null) return;
    if (snapshot.withDirectory && this.#directory.number === null)
      return this.#distrust('the clients of the kept release were gone; nothing was served until the control plane sent them');
    if (snapshot.withFacts && this.#facts.heard === null)
      return this.#distrust('the secrets and revocations of the kept release were gone; nothing was served until the control plane sent them');
    await this.#releases.recall(snapshot);
  }

  #distrust(problem: string): void {
    this.#startProblem = problem;
    this.#options.log(problem);
  }

  #fault(error: unknown, at: string): void {
    this.#options.log(`fault in ${at}: ${(error as Error).stack ?? String(error)}`);
  }

  #hear(message: FeedMessage): void {
    switch (message.type) {
      case 'hello':
      case 'heartbeat':
        return;
      case 'release':
        void this.#releases.hear(message).then(() => this.#sendStatus());
        return;
      case 'private-facts':
        try {
          void this.#facts.take({ secrets: message.secrets, revocations: message.revocations }).then(() => this.#tick());
          this.#drafts.hearFacts();
        } catch (error) {
          this.#options.log((error as Error).message);
        }
        return;
      case 'directory':
        this.#hearDirectory(message);
        return;
      case 'refresh-provider':
        void this.#keys.refresh(message.providerId).then(() => this.#sendStatus());
        return;
      case 'drop-answers':
        this.#authorizers.answers.drop(message.name);
        return;
      case 'limits-of':
        void this.#tellStanding(message.askId, message.client);
        return;
      case 'probe':
      case 'examine':
      case 'try-authorizer':
        void this.#answer(message);
        return;
    }
  }

  /** A change that does not follow the last one, or cannot be read, is not guessed at: the whole directory is asked for. */
  #hearDirectory(message: Extract<FeedMessage, { type: 'directory' }>): void {
    if (this.#directory.take(message)) {
      if (message.whole === null || message.whole.last) void this.#sendStatus();
      return;
    }
    this.#options.log('a change of the directory could not be taken; the whole of it is asked for');
    this.#link.reconnect();
  }

  #portsWith(keys: KeySource) {
    return nodePorts({
      keys,
      introspection: this.#introspector,
      facts: this.#facts,
      nonces: this.#nonces,
      replay: this.#replay,
      tokens: this.#tokens,
      authorizers: this.#authorizers,
      contracts: this.#contracts,
      counters: this.#counters,
      guesses: this.#guesses,
      directory: () => this.#directory.source,
      fault: (error, at) => this.#fault(error, `the step ${at}`),
    });
  }

  #remember(own: ReplayMemory): ReplayMemory {
    return new SharedReplay(
      own,
      (key, forMs) => this.#counters.first(`proof ${key}`, forMs),
      () => this.#counters.goesOnAlone,
    );
  }

  async #tellStanding(askId: string, client: KnownClient): Promise<void> {
    const { live } = this.#releases;
    const answer = await standingOf(client, live?.compiled ?? null, this.#directory.source, this.#counters).then(
      (standings) => ({ askId, probe: null, standings, error: null }),
      (error: unknown) => ({ askId, probe: null, error: (error as Error).message }),
    );
    await this.#link.answer(answer).catch(() => undefined);
  }

  async #answer(ask: AboutDraft): Promise<void> {
    await this.#link.answer(await this.#drafts.ask(ask, this.#publicOrigin)).catch(() => undefined);
  }

  /** Opens the TLS listener where one is asked for. Certificates of clients are asked for and not judged: binding decides. */
  async #listenTls(context: ServeContext): Promise<void> {
    const { tls, host } = this.#options;
    if (!tls) return;
    const [cert, key] = await Promise.all([readFile(tls.certificateFile), readFile(tls.keyFile)]);
    const own = { ...context, publicOrigin: tls.publicOrigin ?? originAt(host, tls.port, 'https') };
    const listener = new GatewayListener(own, () => this.#releases.live, { cert, key });
    const port = await listener.listen(tls.port, host);
    own.publicOrigin = tls.publicOrigin ?? originAt(host, port, 'https');
    this.#tlsOrigin = own.publicOrigin;
    this.#tlsListener = listener;
    this.#options.log(`listening for TLS at ${own.publicOrigin}`);
  }

  #tick(): void {
    void this.#keys.tick();
    for (const kept of [this.#snapshot, this.#facts, this.#directory, this.#keptKeys, this.#counters]) kept.tick();
  }

  #tickTransfers(): void {
    const now = performance.now();
    this.#pools.tick(now);
    this.#listener?.look(now);
    this.#tlsListener?.look(now);
  }

  async #sendStatus(): Promise<void> {
    if (!this.#link.connected) return;
    await this.#link.status(this.status()).catch(() => undefined);
  }

  status(): NodeStatus {
    return {
      node: this.#options.name,
      pid: process.pid,
      feed: FEED_VERSION,
      startedAt: this.#startedAt,
      gatewayUrl: this.#publicOrigin,
      ...this.#releases.state,
      providers: reportProviders(this.#keys, this.#introspector),
      knownTokens: this.#tokens.size,
      authorizers: this.#authorizers.report(),
      directory: this.#directory.number,
      knownClients: this.#directory.clients,
      inFlight: (this.#listener?.inFlight ?? 0) + (this.#tlsListener?.inFlight ?? 0),
      tlsUrl: this.#tlsOrigin,
      counts: this.#counters.counts,
      problems: [
        Date.now() - this.#startedAt < TELL_MS ? this.#startProblem : null,
        this.#snapshot.problem,
        this.#facts.problem,
        this.#directory.problem,
        this.#keptKeys.problem,
        this.#counters.problem,
      ].filter((problem) => problem !== null),
    };
  }
}
