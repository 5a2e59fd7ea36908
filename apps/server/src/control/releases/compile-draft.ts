import { closedPorts, compileInSteps, compileRelease, ConfigError, type CompiledRelease, type KeySource, type ReleaseDocument } from '@virga/core';
import type { FieldProblem } from '@virga/protocol';
import { setImmediate } from 'node:timers/promises';

/** How long checking a draft may keep the thread at one time, milliseconds. */
const SLICE_MS = 10;

const NO_KEYS: KeySource = {
  held: () => ({ generation: 0, state: 'none', keys: [] }),
  refetch: () => Promise.resolve({ generation: 0, state: 'none', keys: [] }),
};

const PORTS = closedPorts({ now: () => 0, ticks: () => 0, digest: (text) => text, keys: NO_KEYS });

/** Why a document could not be published; null when it could: what the draft takes, a release takes. Lets others run in between. */
export async function compileProblem(document: ReleaseDocument): Promise<ConfigError | null> {
  try {
    const compiling = compileInSteps(document, PORTS);
    for (let from = performance.now(); !compiling.next().done;) {
      if (performance.now() - from < SLICE_MS) continue;
      await setImmediate();
      from = performance.now();
    }
    return null;
  } catch (error) {
    if (error instanceof ConfigError) return error;
    throw error;
  }
}

/** The same, for where nobody can wait. */
export function problemsOf(document: ReleaseDocument): FieldProblem[] {
  try {
    compileRelease(document, PORTS);
    return [];
  } catch (error) {
    if (error instanceof ConfigError) return [{ pointer: error.pointer, detail: error.message }];
    throw error;
  }
}

/** Compiles a document to tell what its rules ask; nothing is decided by it here. @throws ConfigError */
export const compileForWords = (document: ReleaseDocument): CompiledRelease => compileRelease(document, PORTS);
