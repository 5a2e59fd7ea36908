import { Inject, Injectable, Logger } from '@nestjs/common';
import { spawn } from 'node:child_process';
import { mkdirSync, openSync, readFileSync, rmSync, writeFileSync, closeSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as delay } from 'node:timers/promises';
import { fileURLToPath } from 'node:url';
import { SETTINGS, type ServerSettings } from '../config/settings.js';
import { NodeHub } from './node-hub.js';

const PROGRAM = fileURLToPath(new URL('../../../gateway/dist/main.js', import.meta.url));
const WATCH_MS = 1000;
const ADOPT_MS = 3000;

/**
 * The gateway node on this machine. It is a process of its own that outlives a control plane that dies; a control
 * plane that starts again takes up the node it finds and starts another only when there is none.
 */
@Injectable()
export class LocalNode {
  readonly #log = new Logger('node');
  readonly #settings: ServerSettings;
  readonly #hub: NodeHub;
  #watch: NodeJS.Timeout | null = null;
  #starting = false;
  #failures = 0;

  constructor(@Inject(SETTINGS) settings: ServerSettings, hub: NodeHub) {
    this.#settings = settings;
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
    this.#watch = setInterval(() => void this.#look(), WATCH_MS);
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
    if (this.#starting || this.#pid() !== null) return;
    this.#failures++;
    this.#log.warn(`the node is gone; starting another (${this.#failures})`);
    this.#starting = true;
    await delay(Math.min(10_000, 100 * 2 ** this.#failures));
    await this.#spawn();
    this.#starting = false;
  }

  async #spawn(): Promise<void> {
    const log = openSync(join(this.#folder, 'gateway.log'), 'a', 0o600);
    const child = spawn(process.execPath, [PROGRAM], {
      detached: true,
      stdio: ['ignore', log, log],
      env: {
        ...process.env,
        VIRGA_NODE_NAME: 'local',
        VIRGA_NODE_TOKEN: this.#settings.nodeToken,
        VIRGA_NODE_DIR: this.#folder,
        VIRGA_CONTROL_URL: `http://${this.#settings.host}:${this.#settings.port}`,
        VIRGA_GATEWAY_HOST: this.#settings.host,
        VIRGA_GATEWAY_PORT: String(this.#settings.gatewayPort),
      },
    });
    closeSync(log);
    child.unref();
    if (child.pid === undefined) return this.#log.error('the node could not be started');
    writeFileSync(this.#pidFile, String(child.pid), { mode: 0o600 });
    if (await this.#hub.waitForNode(8000)) this.#failures = 0;
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
