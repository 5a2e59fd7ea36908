import { AnswerMemory } from './answer-memory.js';
import type { Authorizers } from './ask.js';
import { ScriptSandbox, type LoadInterpreter, type ScriptClock, type ScriptRun } from './script-sandbox.js';

/** Scripts that are held ready. */
const MAX_SCRIPTS = 50;

/**
 * Runs scripts of authorizers in the thread that asks, in the sandbox of the gateway. For suppositions alone: what a script takes,
 * everybody in that thread waits for. Services are asked by nobody here.
 * @param begin loads the interpreter, once
 */
export function localScripts(begin: () => Promise<LoadInterpreter>, clock: ScriptClock): Authorizers {
  let load: Promise<LoadInterpreter> | null = null;
  const opened = new Map<string, Promise<ScriptSandbox | Exclude<ScriptRun, { kind: 'answer' }>>>();
  return {
    run: async ({ identity, script }, call) => {
      let sandbox = opened.get(identity);
      if (!sandbox) {
        for (const oldest of opened.keys()) if (opened.size >= MAX_SCRIPTS) opened.delete(oldest);
        load ??= begin();
        opened.set(identity, (sandbox = load.then((ready) => ScriptSandbox.open(ready, script, clock))));
      }
      try {
        const ready = await sandbox;
        if (ready instanceof ScriptSandbox) return ready.run(call);
        // Another time it may be read in its time.
        if (ready.kind === 'time') opened.delete(identity);
        return ready;
      } catch (error) {
        opened.delete(identity);
        load = null;
        return { kind: 'unavailable', says: `the interpreter failed: ${(error as Error).message}`.slice(0, 300) };
      }
    },
    ask: () => Promise.resolve({ kind: 'unavailable', says: 'no service is asked here' }),
    answers: new AnswerMemory(),
    told: () => undefined,
  };
}
