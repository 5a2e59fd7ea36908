// A thread that runs trials, so that nobody waits for them who does not want them.
import variant from '@jitl/quickjs-wasmfile-release-sync';
import { interpreters, localScripts, runTrials } from '@virga/core';
import { threadTime } from '@virga/threads';
import { readFile } from 'node:fs/promises';
import { createRequire } from 'node:module';
import { parentPort } from 'node:worker_threads';
import type { TrialsAsked, TrialsDone } from './trial-messages.js';

const scripts = localScripts(
  async () => interpreters(variant, new Uint8Array(await readFile(createRequire(import.meta.url).resolve('@jitl/quickjs-wasmfile-release-sync/wasm')))),
  { passed: () => performance.now(), worked: threadTime() },
);

// One after another: a run takes the thread anyway.
let last: Promise<unknown> = Promise.resolve();
parentPort?.on('message', ({ number, document, before, facts, saved, nowMs }: TrialsAsked) => {
  last = last
    .then(() => runTrials(document, before, { facts, saved, nowMs, scripts, ticks: () => performance.now() }))
    .then(
      (report) => parentPort?.postMessage({ number, report, error: null } satisfies TrialsDone),
      (error: unknown) => parentPort?.postMessage({ number, report: null, error: (error as Error).message } satisfies TrialsDone),
    );
});
