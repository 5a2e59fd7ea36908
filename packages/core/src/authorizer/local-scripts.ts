import { AnswerMemory } from './answer-memory.js';
import type { Authorizers } from './ask.js';
import { RunMemory } from './run-memory.js';
import { SandboxShelf } from './sandbox-shelf.js';
import { ScriptSandbox, type LoadInterpreter, type ScriptCall, type ScriptClock, type ScriptRun } from './script-sandbox.js';

/** Scripts that are held ready. */
const MAX_SCRIPTS = 50;
/** How often a script is read, and called, that came to no end in its time: a busy machine, or code that is cold, is no matter of the script. */
const TURNS = 3;

/**
 * Runs scripts of authorizers in the thread that asks, in the sandbox of the gateway. For suppositions alone: what a script takes,
 * everybody in that thread waits for. The same call again gets what came of it before. Services are asked by nobody here.
 * @param begin loads the interpreter, once
 */
export function localScripts(begin: () => Promise<LoadInterpreter>, clock: ScriptClock): Authorizers {
  let load: Promise<LoadInterpreter> | null = null;
  const shelf = new SandboxShelf(() => (load ??= begin()), clock, MAX_SCRIPTS, TURNS);
  const runs = new RunMemory(clock);
  return {
    run: async ({ identity, script }, call) => {
      try {
        const ready = await shelf.take(identity, script);
        return ready instanceof ScriptSandbox ? runs.once(identity, call, () => inTurns(ready, call)) : ready;
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

function inTurns(ready: ScriptSandbox, call: ScriptCall): ScriptRun {
  for (let turn = 1; ; turn++) {
    const run = ready.run(call);
    if (run.kind !== 'time' || turn === TURNS) return run;
  }
}
