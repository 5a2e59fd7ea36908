import { newQuickJSWASMModuleFromVariant, newVariant, type QuickJSSyncVariant } from 'quickjs-emscripten-core';
import type { LoadInterpreter } from './script-sandbox.js';

/**
 * What makes interpreters, each with a memory of its own. The program is compiled once.
 * @param variant the build of the interpreter, as its package exports it
 * @param program the WebAssembly of that build
 */
export async function interpreters(variant: unknown, program: Uint8Array<ArrayBuffer>): Promise<LoadInterpreter> {
  const wasmModule = await WebAssembly.compile(program);
  return (wasmMemory) => newQuickJSWASMModuleFromVariant(newVariant(variant as QuickJSSyncVariant, { wasmModule, wasmMemory }));
}
