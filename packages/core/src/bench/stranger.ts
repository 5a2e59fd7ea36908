import { STANDARD_CLAIM_MAP } from '../document/claim-map.js';
import type { ProviderRule } from '../document/provider-rule.js';
import { compileClaimMap } from '../provider/compile-claim-map.js';
import { compileFindUnread } from '../provider/unread-claims.js';
import type { TrustedProvider } from '../token/verify-token.js';

/** A stand-in for the provider of a token that nobody trusts, so that the rest of the token can be read. Proves nothing. */
export function stranger(issuer: string): TrustedProvider {
  const rule: ProviderRule = {
    id: '',
    name: issuer === '' ? 'no issuer' : `${issuer} (not trusted)`,
    issuer,
    source: { kind: 'keys', keys: [] },
    algorithms: [],
    leewaySeconds: 30,
    lastGoodSeconds: 60,
    allowLoopbackHttp: false,
    privateHosts: [],
    claimMap: STANDARD_CLAIM_MAP,
    draftOnly: false,
  };
  return { rule, readPrincipal: compileClaimMap(rule), findUnread: compileFindUnread(rule) };
}
