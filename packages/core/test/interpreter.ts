import variant from '@jitl/quickjs-wasmfile-release-sync';
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { interpreters } from '../src/authorizer/load-interpreter.js';
import type { LoadInterpreter, ScriptClock } from '../src/authorizer/script-sandbox.js';

const PROGRAM = createRequire(import.meta.url).resolve('@jitl/quickjs-wasmfile-release-sync/wasm');

/** The interpreter of scripts. */
export const loadInterpreter = (): Promise<LoadInterpreter> => interpreters(variant, new Uint8Array(readFileSync(PROGRAM)));

/** By what processors ran this process, so that a busy machine does not decide what a test comes to. */
export const WORK_CLOCK: ScriptClock = {
  passed: () => performance.now(),
  worked: () => {
    const { user, system } = process.cpuUsage();
    return (user + system) / 1000;
  },
};
