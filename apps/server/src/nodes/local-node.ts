import { Inject, Injectable, Logger } from '@nestjs/common';
import { FEED_VERSION } from '@virga/protocol';
import { originAt } from '@virga/protocol/node';
import { spawn } from 'node:child_process';
import { mkdirSync, openSync, readFileSync, rmSync, writeFileSync, closeSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as delay } from 'node:timers/promises';
import { fileURLToPath } from 'node:url';
import { SETTINGS, type ServerSettings } from '../config/settings.js';
import { Background } from '../http/background.js';
import { NodeHub } from './node-hub.js';

const PROGRAM = fileURLToPath(new URL('../../../gateway/dist/main.js', import.meta.url));
/** As the gateway's own `npm start` has it: a whole collection keeps all callers waiting, and is put off until there are 128 MB to collect from. */
const PLATFORM_OPTIONS = ['--initial-heap-size=128'];
const WATCH_MS = 1000;
const ADOPT_MS = 3000;
/** A node that is silent for this long is replaced. */
const SILENCE_MS = 10_000;
/** How long one that was started may take until it is heard for the first time: a machine under load starts it slowly, and starting it again helps nobody. */
const FIRST_WORD_MS = 60_000;
const NODE_NAME = 'local';

/**
 * The gateway node on this machine. It is a process of its own that outlives a control plane that dies; a control
 * plane that starts again takes up the node it finds and starts another only when there is none.
 */
@Injectable()
export class LocalNode {
  readonly #log = new Logger('node');
  readonly #settings: ServerSettings;
  readonly #hub: NodeHub;
  readonly #background: Background;
  #watch: NodeJS.Timeout | null = null;
  #starting = false;
  #failures = 0;
  #lookedAt = Date.now();
  #startedAt = Date.now();

  constructor(@Inject(SETTINGS) settings: ServerSettings, hub: NodeHub, background: Background) {
    this.#settings = settings;
    this.#background = background;
    this.#hub = hub;
  }

  get #folder(): string {
    return join(this.#settings.dataFolder, 'node');
  }

  get #pidFile(): string {
    return join(this.#folder, 'pid');
  }

  async start(): Promise<void> {
    if (!this.#settings.startsNode) return;
    mkdirSync(this.#folder, { recursive: true, mode: 0o700 });
    if (this.#pid() === null) await this.#spawn();
    else if (await this.#hub.waitForNode(ADOPT_MS)) this.#log.log(`took up the node that runs already (process ${this.#pid()})`);
    else this.#log.warn(`a node runs already (process ${this.#pid()}) and has not connected yet; it keeps its port, so no other is started`);
    this.#watch = setInterval(() => this.#background.own('Looking after the local node', () => this.#look()), WATCH_MS);
  }

  /** Ends the node and waits until it has gone. */
  async stop(): Promise<void> {
    if (this.#watch) clearInterval(this.#watch);
    const pid = this.#settings.startsNode ? this.#pid() : null;
    if (pid === null) return;
    process.kill(pid, 'SIGTERM');
    for (let waited = 0; waited < 12_000 && isAlive(pid); waited += 50) await delay(50);
    if (isAlive(pid)) process.kill(pid, 'SIGKILL');
    rmSync(this.#pidFile, { force: true });
  }

  async #look(): Promise<void> {
    const late = Date.now() - this.#lookedAt > 4 * WATCH_MS;
    this.#lookedAt = Date.now();
    if (this.#starting) return;
    const pid = this.#pid();
    if (pid !== null) {
      // After a stall of this process itself, the node is given the time to be heard again.
      if (!late && this.#isSilent()) this.#replace(pid);
      else if (this.#isOfAnotherVersion(pid)) this.#retire(pid);
      return;
    }
    this.#failures++;
    this.#log.warn(`the node is gone; starting another (${this.#failures})`);
    this.#starting = true;
    try {
      await delay(Math.min(10_000, 100 * 2 ** this.#failures));
      await this.#spawn();
    } finally {
      this.#starting = false;
    }
  }

  /** Whether the node has stopped saying how it is, which it does every two seconds once it has started. */
  #isSilent(): boolean {
    const node = this.#hub.nodes.find((item) => item.name === NODE_NAME);
    if (node === undefined || node.status === null) return false;
    // What was heard before belongs to a process that is gone.
    const heard = node.seenAt > this.#startedAt;
    return Date.now() - (heard ? node.seenAt : this.#startedAt) > (heard ? SILENCE_MS : FIRST_WORD_MS);
  }

  /** Whether the node is one of before this program was replaced by another version, which does not follow its feed. */
  #isOfAnotherVersion(pid: number): boolean {
    const status = this.#hub.nodes.find((item) => item.name === NODE_NAME)?.status;
    return status?.pid === pid && status.feed !== FEED_VERSION;
  }

  /** Lets the node end what it has under way; another is started once it is gone. */
  #retire(pid: number): void {
    this.#log.warn(`the node (process ${pid}) is of another version; it ends, and one of this version takes its place`);
    process.kill(pid, 'SIGTERM');
  }

  #replace(pid: number): void {
    this.#log.warn(`the node (process ${pid}) has not answered for longer than ${SILENCE_MS / 1000} s; it is ended and replaced`);
    process.kill(pid, 'SIGKILL');
  }

  async #spawn(): Promise<void> {
    this.#startedAt = Date.now();
    const log = openSync(join(this.#folder, 'gateway.log'), 'a', 0o600);
    const child = spawn(process.execPath, [...PLATFORM_OPTIONS, PROGRAM], {
      detached: true,
      stdio: ['ignore', log, log],
      env: {
        ...nodeEnvironment(process.env),
        VIRGA_NODE_NAME: NODE_NAME,
        VIRGA_NODE_TOKEN: this.#settings.nodeToken,
        VIRGA_NODE_DIR: this.#folder,
        VIRGA_CONTROL_URL: originAt(this.#settings.host, this.#settings.port),
        VIRGA_GATEWAY_HOST: this.#settings.host,
        VIRGA_GATEWAY_PORT: String(this.#settings.gatewayPort),
      },
    });
    closeSync(log);
    child.unref();
    if (child.pid === undefined) return this.#log.error('the node could not be started');
    writeFileSync(this.#pidFile, String(child.pid), { mode: 0o600 });
    const gone = new Promise<boolean>((resolve) => child.once('exit', () => resolve(false)));
    if (await Promise.race([this.#hub.waitForNode(8000), gone])) this.#failures = 0;
    else this.#log.error(`the node did not connect; see ${join(this.#folder, 'gateway.log')}`);
  }

  /** The process of the node; null when it does not run. */
  #pid(): number | null {
    try {
      const pid = Number(readFileSync(this.#pidFile, 'utf8'));
      return Number.isInteger(pid) && pid > 1 && isAlive(pid) && isGateway(pid) ? pid : null;
    } catch {
      return null;
    }
  }
}

/** What a node may know of this process's environment: never a password, nor what belongs to others. */
function nodeEnvironment(env: NodeJS.ProcessEnv): NodeJS.ProcessEnv {
  const passed = /^(PATH|HOME|TMPDIR|TEMP|TMP|SystemRoot|LANG|LC_\w+|TZ|NODE_OPTIONS|NODE_EXTRA_CA_CERTS|VIRGA_TLS_\w+|VIRGA_GATEWAY_URL|VIRGA_REDIS_URL)$/;
  return Object.fromEntries(Object.entries(env).filter(([name]) => passed.test(name)));
}

/** Whether a process runs and is not a zombie that nobody has waited for. */
function isAlive(pid: number): boolean {
  try {
    process.kill(pid, 0);
  } catch {
    return false;
  }
  try {
    return !/^\d+ \(.*\) Z/.test(readFileSync(`/proc/${pid}/stat`, 'utf8'));
  } catch {
    return true;
  }
}

/** Whether a process is a gateway node: after a restart of the machine its number may belong to another program. */
function isGateway(pid: number): boolean {
  try {
    return readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes(PROGRAM);
  } catch {
    // No such file system here; the number has to do.
    return true;
  }
}
