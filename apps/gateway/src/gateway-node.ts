import { ConfigError, takesOpaqueTokens, type ReleaseDocument } from '@virga/core';
import { askBySource, Introspector, ProviderKeys } from '@virga/outbound';
import type { ExamineAsk, ExamineOutcome, FeedMessage, NodeStatus, ProbeOutcome, ProbeRequest } from '@virga/protocol';
import { createHmac, timingSafeEqual } from 'node:crypto';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { ControlLink } from './control/control-link.js';
import { GatewayListener } from './listener/gateway-listener.js';
import type { ServeContext } from './listener/serve-request.js';
import { openRelease, type LiveRelease } from './live-release.js';
import { Nonces } from './ports/nonces.js';
import { nodePorts, type NodeParts } from './ports/node-ports.js';
import { PrivateFacts } from './ports/private-facts.js';
import { reportProviders } from './ports/report-providers.js';
import { runExamine } from './probe/run-examine.js';
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
  /** A second listener that speaks TLS and takes client certificates. Files hold PEM. */
  readonly tls?: { readonly port: number; readonly certificateFile: string; readonly keyFile: string; readonly publicOrigin?: string };
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
  readonly #introspector: Introspector;
  readonly #draftIntrospector: Introspector;
  readonly #facts: PrivateFacts;
  readonly #nonces: Nonces;
  /** Keys for drafts that are probed, apart from those of live traffic so that no draft can disturb it. */
  readonly #draftKeys: ProviderKeys;
  readonly #pools = new UpstreamPools();
  readonly #draftPools = new UpstreamPools();
  readonly #recorder: Recorder;
  readonly #link: ControlLink;
  readonly #startedAt = Date.now();
  readonly #timers: NodeJS.Timeout[] = [];
  #listener: GatewayListener | null = null;
  #tlsListener: GatewayListener | null = null;
  #tlsOrigin: string | null = null;
  #publicOrigin = '';
  #live: LiveRelease | null = null;
  #effectiveAt = 0;
  #refusedRelease: NodeStatus['refusedRelease'] = null;
  #draft: LiveRelease | null = null;
  #sending = false;

  constructor(options: NodeOptions) {
    this.#options = options;
    this.#recorder = new Recorder(options.name);
    this.#facts = new PrivateFacts(options.token, join(options.folder, 'private-facts'));
    this.#nonces = new Nonces(options.token);
    const changed = (): void => void this.#sendStatus();
    this.#keys = new ProviderKeys(Date.now, changed, askBySource(this.#facts));
    this.#draftKeys = new ProviderKeys(Date.now, () => undefined, askBySource(this.#facts));
    this.#introspector = new Introspector(this.#facts, Date.now, changed);
    this.#draftIntrospector = new Introspector(this.#facts, Date.now);
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
    await this.#facts.restore();
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
    await this.#listenTls(context);
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
    await Promise.all([this.#listener?.drain(DRAIN_MS), this.#tlsListener?.drain(DRAIN_MS)]);
    for (let rounds = 0; rounds < 20 && (await this.#flush()); rounds++);
    this.#link.stop();
    await Promise.all([this.#pools.close(), this.#draftPools.close(), this.#introspector.close(), this.#draftIntrospector.close()]);
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
      case 'private-facts':
        void this.#facts
          .take({ secrets: message.secrets, revocations: message.revocations })
          .then(() => this.#tickKeys())
          .catch((error: Error) => this.#options.log(`private facts could not be kept on disk: ${error.message}`));
        return;
      case 'examine':
        void this.#examine(message.askId, message.hash, message.document, message.request);
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
      const trial = document.providers.find((provider) => provider.draftOnly);
      if (trial) throw new ConfigError('/providers', `${trial.name} may be trusted in drafts only`);
      const live = openRelease(number, hash, document, nodePorts(this.#parts), this.#pools);
      this.#keys.follow(document.providers);
      this.#introspector.follow(document.providers.filter(takesOpaqueTokens));
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
      probe = await runProbe(request, this.#openDraft(hash, document), forward, this.#publicOrigin);
    } catch (failure) {
      error = (failure as Error).message;
    }
    await this.#link.answer({ askId, probe, error }).catch(() => undefined);
  }

  async #examine(askId: string, hash: string, document: ReleaseDocument, request: ExamineAsk): Promise<void> {
    let examined: readonly ExamineOutcome[] | null = null;
    let error: string | null = null;
    try {
      examined = await runExamine(request, this.#openDraft(hash, document).compiled, this.#publicOrigin);
    } catch (failure) {
      error = (failure as Error).message;
    }
    await this.#link.answer({ askId, probe: null, examined, error }).catch(() => undefined);
  }

  /** A document that is tried: compiled once, with keys and pools of its own. */
  #openDraft(hash: string, document: ReleaseDocument): LiveRelease {
    if (this.#draft?.hash === hash) return this.#draft;
    const parts = { ...this.#parts, keys: this.#draftKeys, introspection: this.#draftIntrospector };
    const draft = openRelease(0, hash, document, nodePorts(parts), this.#draftPools);
    this.#draftKeys.follow(document.providers);
    this.#draftIntrospector.follow(document.providers.filter(takesOpaqueTokens));
    this.#draftPools.keepOnly(document.apis.map((api) => api.upstream));
    this.#draft = draft;
    return draft;
  }

  get #parts(): NodeParts {
    return { keys: this.#keys, introspection: this.#introspector, facts: this.#facts, nonces: this.#nonces };
  }

  /** Opens the TLS listener where one is asked for. Certificates of clients are asked for and not judged: binding decides. */
  async #listenTls(context: ServeContext): Promise<void> {
    const { tls, host } = this.#options;
    if (!tls) return;
    const [cert, key] = await Promise.all([readFile(tls.certificateFile), readFile(tls.keyFile)]);
    const own = { ...context, publicOrigin: tls.publicOrigin ?? `https://${host}:${tls.port}` };
    const listener = new GatewayListener(own, () => this.#live, { cert, key });
    const port = await listener.listen(tls.port, host);
    own.publicOrigin = tls.publicOrigin ?? `https://${host}:${port}`;
    this.#tlsOrigin = own.publicOrigin;
    this.#tlsListener = listener;
    this.#options.log(`listening for TLS at ${own.publicOrigin}`);
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
      providers: reportProviders(this.#keys, this.#introspector),
      knownTokens: this.#live?.compiled.tokenCache.size ?? 0,
      inFlight: (this.#listener?.inFlight ?? 0) + (this.#tlsListener?.inFlight ?? 0),
      tlsUrl: this.#tlsOrigin,
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
