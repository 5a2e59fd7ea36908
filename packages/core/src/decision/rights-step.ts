import { checkRights, type CompiledRights } from '../access/check-rights.js';
import type { CompiledStep } from './compiled.js';

/** Compiles the step that compares rights. */
export function compileRightsStep(rights: CompiledRights): CompiledStep {
  return { step: 'rights', run: (exchange) => checkRights(rights, exchange.principal) };
}
