import { checkRights, type CompiledRights, type Rights } from '../access/check-rights.js';
import type { VerifiedToken } from '../token/verified-token.js';
import type { Check } from './compiled.js';
import type { Exchange } from './exchange.js';

/** Compiles the step that compares rights. The caller is whoever the credentials of the alternative that held prove. */
export function compileRightsStep(rights: CompiledRights): Check {
  // What a token alone is worth here hangs on nothing but the token; what clients have may change at any time.
  const byToken = new WeakMap<VerifiedToken, Rights>();
  const rightsOf = ({ credentials }: Exchange): Rights => {
    const [one] = credentials;
    if (one === undefined || credentials.length > 1 || one.kind !== 'token' || one.holder !== null) return checkRights(rights, credentials);
    let known = byToken.get(one.token);
    if (!known) byToken.set(one.token, (known = checkRights(rights, credentials)));
    return known;
  };
  return {
    step: 'rights',
    about: null,
    run: (exchange) => {
      const { found, caller } = rightsOf(exchange);
      exchange.caller = caller;
      return found;
    },
  };
}
