import { ConfigError, type ReleaseDocument } from '@virga/core';
import { ProviderKeys } from '@virga/outbound';
import type { FeedMessage, NodeStatus, ProbeOutcome, ProbeRequest } from '@virga/protocol';
import { createHmac, timingSafeEqual } from 'node:crypto';
import { join } from 'node:path';
import { ControlLink } from './control/control-link.js';
import { GatewayListener } from './listener/gateway-listener.js';
import { openRelease, type LiveRelease } from './live-release.js';
import { nodePorts } from './ports/node-ports.js';
import { runProbe } from './probe/run-probe.js';
import { Recorder } from './records/recorder.js';
import { readSnapshot, writeSnapshot } from './snapshot/snapshot.js';
import { UpstreamPools } from './upstream/pools.js';

export interface NodeOptions {
  readonly name: string;
  readonly host: string;
  /** 0 takes any free port. */
  readonly port: number;
  /** Public address of the gateway, without a slash at the end; made of host and port when left out. */
  readonly publicOrigin?: string;
  readonly controlUrl: string;
  readonly token: string;
  /** Folder for the last good release. */
  readonly folder: string;
  readonly log: (text: string) => void;
}

const FLUSH_MS = 200;
const STATUS_MS = 2000;
const KEYS_TICK_MS = 1000;
const DRAIN_MS = 10_000;

/** A gateway node: serves its release, follows the control plane, sends records. */
export class GatewayNode {
  readonly #options: NodeOptions;
  readonly #keys: ProviderKeys;
  /** Keys for drafts that are probed, apart from those of live traffic so that no draft can disturb it. */
  readonly #draftKeys: ProviderKeys;
  readonly #pools = new UpstreamPools();
  readonly #draftPools = new UpstreamPools();
  readonly #recorder: Recorder;
  readonly #link: ControlLink;
  readonly #startedAt = Date.now();
  readonly #timers: NodeJS.Timeout[] = [];
  #listener: GatewayListener | null = null;
  #publicOrigin = '';
  #live: LiveRelease | null = null;
  #effectiveAt = 0;
  #refusedRelease: NodeStatus['refusedRelease'] = null;
  #draft: LiveRelease | null = null;
  #sending = false;

  constructor(options: NodeOptions) {
    this.#options = options;
    this.#recorder = new Recorder(options.name);
    this.#keys = new ProviderKeys(Date.now, () => void this.#sendStatus());
    this.#draftKeys = new ProviderKeys(Date.now);
    this.#link = new ControlLink({
      controlUrl: options.controlUrl,
      token: options.token,
      node: options.name,
      log: options.log,
      onConnected: () => void this.#sendStatus(),
      onMessage: (message) => this.#hear(message),
    });
  }

  /** @returns the address the gateway listens at */
  async start(): Promise<string> {
    const snapshot = await readSnapshot(this.#snapshotFile);
    const context = {
      recorder: this.#recorder,
      publicOrigin: this.#options.publicOrigin ?? `http://${this.#options.host}:${this.#options.port}`,
      isProbe: (header: string) => isSigned(header, this.#options.token),
      fault: (error: unknown) => this.#options.log(`fault: ${(error as Error).stack ?? String(error)}`),
    };
    const listener = new GatewayListener(context, () => this.#live);
    const port = await listener.listen(this.#options.port, this.#options.host);
    context.publicOrigin = this.#options.publicOrigin ?? `http://${this.#options.host}:${port}`;
    this.#publicOrigin = context.publicOrigin;
    this.#listener = listener;
    if (snapshot) this.#take(snapshot.number, snapshot.hash, snapshot.document, false);
    void this.#link.run();
    this.#timers.push(
      setInterval(() => void this.#flush(), FLUSH_MS),
      setInterval(() => void this.#sendStatus(), STATUS_MS),
      setInterval(() => this.#tickKeys(), KEYS_TICK_MS),
    );
    return context.publicOrigin;
  }

  /** Lets requests in flight end, sends the last records, stops. */
  async stop(): Promise<void> {
    for (const timer of this.#timers) clearInterval(timer);
    await this.#listener?.drain(DRAIN_MS);
    for (let rounds = 0; rounds < 20 && (await this.#flush()); rounds++);
    this.#link.stop();
    await Promise.all([this.#pools.close(), this.#draftPools.close()]);
  }

  get #snapshotFile(): string {
    return join(this.#options.folder, 'release.json');
  }

  #hear(message: FeedMessage): void {
    switch (message.type) {
      case 'hello':
      case 'heartbeat':
        return;
      case 'release':
        this.#take(message.number, message.hash, message.document, true);
        void this.#sendStatus();
        return;
      case 'refresh-provider':
        void this.#keys.refresh(message.providerId).then(() => this.#sendStatus());
        return;
      case 'probe':
        void this.#probe(message.askId, message.hash, message.document, message.request, message.forward);
        return;
    }
  }

  /** Compiles a release and swaps it in with one assignment. One that cannot be used leaves the old one serving. */
  #take(number: number, hash: string, document: ReleaseDocument, keep: boolean): void {
    if (this.#live?.number === number && this.#live.hash === hash) return;
    try {
      const live = openRelease(number, hash, document, nodePorts(this.#keys), this.#pools);
      this.#keys.follow(document.providers);
      this.#live = live;
      this.#effectiveAt = Date.now();
      this.#refusedRelease = null;
      this.#pools.keepOnly(document.apis.map((api) => api.upstream));
      this.#options.log(`release ${number} is live`);
      if (keep)
        writeSnapshot(this.#snapshotFile, { number, hash, document }).catch((error: Error) =>
          this.#options.log(`the release could not be kept on disk: ${error.message}`),
        );
    } catch (error) {
      const reason = error instanceof ConfigError ? `${error.pointer}: ${error.message}` : (error as Error).message;
      this.#refusedRelease = { number, reason };
      this.#options.log(`release ${number} cannot be used: ${reason}`);
    }
  }

  async #probe(askId: string, hash: string, document: ReleaseDocument, request: ProbeRequest, forward: boolean): Promise<void> {
    let probe: ProbeOutcome | null = null;
    let error: string | null = null;
    try {
      if (this.#draft?.hash !== hash) {
        this.#draft = openRelease(0, hash, document, nodePorts(this.#draftKeys), this.#draftPools);
        this.#draftKeys.follow(document.providers);
        this.#draftPools.keepOnly(document.apis.map((api) => api.upstream));
      }
      probe = await runProbe(request, this.#draft, forward, this.#publicOrigin);
    } catch (failure) {
      error = (failure as Error).message;
    }
    await this.#link.answer({ askId, probe, error }).catch(() => undefined);
  }

  #tickKeys(): void {
    void this.#keys.tick();
    if (this.#draft) void this.#draftKeys.tick();
  }

  /** @returns whether something was sent */
  async #flush(): Promise<boolean> {
    if (this.#sending) return false;
    this.#sending = true;
    try {
      return await this.#link.send(() => this.#recorder.takeBatch());
    } catch {
      // The batch is kept and sent again.
      return false;
    } finally {
      this.#sending = false;
    }
  }

  async #sendStatus(): Promise<void> {
    if (!this.#link.connected) return;
    await this.#link.status(this.status()).catch(() => undefined);
  }

  status(): NodeStatus {
    return {
      node: this.#options.name,
      pid: process.pid,
      startedAt: this.#startedAt,
      gatewayUrl: this.#publicOrigin,
      release: this.#live ? { number: this.#live.number, hash: this.#live.hash, effectiveAt: this.#effectiveAt } : null,
      refusedRelease: this.#refusedRelease,
      providers: this.#keys.report(),
      knownTokens: this.#live?.compiled.tokenCache.size ?? 0,
      inFlight: this.#listener?.inFlight ?? 0,
    };
  }
}

/** Whether a header is `nonce.mac` made with the node's token. */
function isSigned(header: string, token: string): boolean {
  const [nonce = '', mac = ''] = header.split('.');
  const expected = createHmac('sha256', token).update(nonce).digest();
  const given = Buffer.from(mac, 'base64url');
  return given.length === expected.length && timingSafeEqual(given, expected);
}
