import variant from '@jitl/quickjs-wasmfile-release-sync';
import programUrl from '@jitl/quickjs-wasmfile-release-sync/wasm?url';
import { closedPorts, interpreters, ScriptSandbox, type Authorizers, type LoadInterpreter, type ScriptRun } from '@virga/core';

/** Scripts that are held ready. */
const MAX_SCRIPTS = 16;

const keySource = {
  held: () => ({ generation: 0, state: 'none', keys: [] }) as const,
  refetch: () => Promise.resolve({ generation: 0, state: 'none', keys: [] } as const),
};
let load: Promise<LoadInterpreter> | null = null;
const opened = new Map<string, Promise<ScriptSandbox | Exclude<ScriptRun, { kind: 'answer' }>>>();

/** Runs scripts of authorizers in this thread, in the sandbox of the gateway. Services are asked by nobody here. */
export const SCRIPTS_HERE: Authorizers = {
  ...closedPorts({ now: () => 0, ticks: () => 0, digest: (text) => text, keys: keySource }).authorizers,
  run: async ({ identity, script }, call) => {
    load ??= fetch(programUrl)
      .then((answer) => answer.arrayBuffer())
      .then((bytes) => interpreters(variant, new Uint8Array(bytes)));
    let sandbox = opened.get(identity);
    if (!sandbox) {
      for (const oldest of opened.keys()) if (opened.size >= MAX_SCRIPTS) opened.delete(oldest);
      opened.set(identity, (sandbox = load.then((ready) => ScriptSandbox.open(ready, script, () => performance.now()))));
    }
    try {
      const ready = await sandbox;
      return ready instanceof ScriptSandbox ? ready.run(call) : ready;
    } catch (error) {
      opened.delete(identity);
      return { kind: 'unavailable', says: `the interpreter failed: ${(error as Error).message}`.slice(0, 300) };
    }
  },
};
