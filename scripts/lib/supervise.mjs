import { fork } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { setTimeout as delay } from 'node:timers/promises';
import { ROOT } from './prepare.mjs';

/**
 * Starts processes of the project and keeps them running: one that dies is started again. `stop` ends all of them and
 * waits until they have gone.
 */
export class Supervisor {
  #children = new Map();
  #stopping = false;

  /** Starts one and resolves with what it says when it is ready. */
  async start(name, program, env, args = []) {
    const entry = { name, program, env, args, child: null, failures: 0 };
    this.#children.set(name, entry);
    return this.#launch(entry);
  }

  #launch(entry) {
    return new Promise((resolve, reject) => {
      const child = fork(join(ROOT, entry.program), entry.args, {
        cwd: ROOT,
        env: { ...process.env, ...entry.env },
        stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
        detached: true,
      });
      entry.child = child;
      let ready = false;
      child.on('message', (message) => {
        if (message?.type !== 'ready') return;
        ready = true;
        resolve(message);
      });
      child.on('exit', (code, signal) => {
        entry.child = null;
        if (!ready) return reject(new Error(`${entry.name} could not start (${signal ?? `exit ${code}`})`));
        if (!this.#stopping) void this.#again(entry, signal ?? `exit ${code}`);
      });
    });
  }

  async #again(entry, why) {
    entry.failures++;
    console.error(`virga: ${entry.name} ended (${why}); starting it again`);
    await delay(Math.min(10_000, 200 * 2 ** Math.min(entry.failures, 6)));
    if (!this.#stopping) await this.#launch(entry).catch((error) => console.error(`virga: ${error.message}`));
  }

  async stop() {
    if (this.#stopping) return;
    this.#stopping = true;
    await Promise.all(
      [...this.#children.values()].map(async ({ child }) => {
        if (!child) return;
        const gone = new Promise((resolve) => child.once('exit', resolve));
        child.kill('SIGTERM');
        await Promise.race([gone, delay(20_000).then(() => child.kill('SIGKILL'))]);
      }),
    );
  }
}

/** Ends a gateway node that was left behind when its control plane was killed. */
export function endNode(folder) {
  try {
    process.kill(Number(readFileSync(join(folder, 'node', 'pid'), 'utf8')), 'SIGTERM');
  } catch {
    // None was left.
  }
}

/** Calls `stop` once at Ctrl-C or a request to end, then ends this process. */
export function onInterrupt(stop) {
  let begun = false;
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) {
    process.on(signal, () => {
      if (begun) return;
      begun = true;
      stop().then(
        () => process.exit(0),
        (error) => {
          console.error(`virga: ${error.message}`);
          process.exit(1);
        },
      );
    });
  }
}
