// A thread that runs scripts of authorizers, each in an interpreter of its own.
import variant from '@jitl/quickjs-wasmfile-release-sync';
import { interpreters, SandboxShelf, ScriptSandbox, type ScriptRun, type TableRows } from '@virga/core';
import { giveWay, threadTime } from '@virga/threads';
import { readFile } from 'node:fs/promises';
import { createRequire } from 'node:module';
import { performance } from 'node:perf_hooks';
import { parentPort } from 'node:worker_threads';
import type { ScriptAnswer, ScriptAsk, ScriptBegun } from './script-messages.js';

/** Scripts that a thread holds ready. */
const MAX_SCRIPTS = 16;

if (parentPort === null) throw new Error('this runs in a thread of a node');
giveWay('awaited');
const port = parentPort;

const load = readFile(createRequire(import.meta.url).resolve('@jitl/quickjs-wasmfile-release-sync/wasm')).then((bytes) =>
  interpreters(variant, new Uint8Array(bytes)),
);
const CLOCK = { passed: () => performance.now(), worked: threadTime() };
const shelf = new SandboxShelf(() => load, CLOCK, MAX_SCRIPTS);
const tables = new Map<string, TableRows>();

async function run(ask: ScriptAsk): Promise<ScriptRun> {
  for (const { name, rows } of ask.tables) tables.set(name, rows);
  const ready = await shelf.take(ask.identity, ask.script);
  if (!(ready instanceof ScriptSandbox)) return ready;
  const own = new Map(ask.script.tables.flatMap((name): [string, TableRows][] => (tables.has(name) ? [[name, tables.get(name) as TableRows]] : [])));
  port.postMessage({ begun: ask.number } satisfies ScriptBegun);
  try {
    return ready.run({ input: ask.input, hidden: ask.hidden, tables: own });
  } catch (error) {
    // What the interpreter itself threw: it may be in any state, so it is not used again.
    shelf.drop(ask.identity);
    return { kind: 'fault', says: `the interpreter failed: ${(error as Error).message}`.slice(0, 300), line: 0, column: 0 };
  }
}

port.on('message', (ask: ScriptAsk) => {
  run(ask).then(
    (came) => port.postMessage({ number: ask.number, run: came } satisfies ScriptAnswer),
    (error: unknown) => {
      shelf.drop(ask.identity);
      port.postMessage({
        number: ask.number,
        run: { kind: 'fault', says: `the interpreter cannot begin: ${(error as Error).message}`.slice(0, 300), line: 0, column: 0 },
      } satisfies ScriptAnswer);
    },
  );
});
