import { checkRights, type CompiledRights } from '../access/check-rights.js';
import type { Check } from './compiled.js';

/** Compiles the step that compares rights. The caller is whoever the credentials of the alternative that held prove. */
export function compileRightsStep(rights: CompiledRights): Check {
  return {
    step: 'rights',
    about: null,
    run: (exchange) => {
      const { found, caller } = checkRights(rights, exchange.credentials);
      exchange.caller = caller;
      return found;
    },
  };
}
