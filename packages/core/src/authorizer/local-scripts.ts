import { AnswerMemory } from './answer-memory.js';
import type { Authorizers } from './ask.js';
import { SandboxShelf } from './sandbox-shelf.js';
import { ScriptSandbox, type LoadInterpreter, type ScriptClock } from './script-sandbox.js';

/** Scripts that are held ready. */
const MAX_SCRIPTS = 50;

/**
 * Runs scripts of authorizers in the thread that asks, in the sandbox of the gateway. For suppositions alone: what a script takes,
 * everybody in that thread waits for. Services are asked by nobody here.
 * @param begin loads the interpreter, once
 */
export function localScripts(begin: () => Promise<LoadInterpreter>, clock: ScriptClock): Authorizers {
  let load: Promise<LoadInterpreter> | null = null;
  const shelf = new SandboxShelf(() => (load ??= begin()), clock, MAX_SCRIPTS);
  return {
    run: async ({ identity, script }, call) => {
      try {
        const ready = await shelf.take(identity, script);
        return ready instanceof ScriptSandbox ? ready.run(call) : ready;
      } catch (error) {
        shelf.drop(identity);
        load = null;
        return { kind: 'unavailable', says: `the interpreter failed: ${(error as Error).message}`.slice(0, 300) };
      }
    },
    ask: () => Promise.resolve({ kind: 'unavailable', says: 'no service is asked here' }),
    answers: new AnswerMemory(),
    told: () => undefined,
  };
}
