import type { CompiledRights } from '../access/check-rights.js';
import type { ProviderRule, TokenRule } from '../document/release-document.js';
import { checkClaims } from '../token/check-claims.js';
import type { TokenCache } from '../token/token-cache.js';
import { verifyToken, type TokenVerifier, type VerifiedToken } from '../token/verify-token.js';
import { finding, type Finding } from '../verdict/codes.js';
import type { CompiledStep, Ports } from './compiled.js';
import type { Exchange } from './exchange.js';

/** What every token step of one release shares. */
export interface TokenContext {
  readonly verifier: TokenVerifier;
  readonly cache: TokenCache;
  readonly providers: ReadonlyMap<string, ProviderRule>;
  readonly ports: Ports;
}

const NO_TOKEN = finding('credential.optional', {});

/** Compiles the step that proves the token. A token seen before costs a digest, a look-up and the checks of its claims. */
export function compileTokenStep(rights: CompiledRights, rule: TokenRule, context: TokenContext): CompiledStep {
  const accepted = [...rights.providers].map((id) => context.providers.get(id)?.name ?? id);
  const audience = rule.audiences === 'ANY_AUDIENCE' ? 'ANY_AUDIENCE' : rule.audiences.join(', ');
  const { cache, ports } = context;
  const generation = (providerId: string) => ports.keys.held(providerId).generation;

  const judge = (exchange: Exchange, token: VerifiedToken, known: boolean, now: number): Finding => {
    if (!rights.providers.has(token.provider.id)) return finding('token.issuer-not-accepted', { provider: token.provider.name, accepted });
    const wrong = checkClaims(token, rule, now);
    if (wrong) return wrong;
    exchange.token = token;
    exchange.tokenIsKnown = known;
    exchange.principal = token.principal;
    return finding(known ? 'token.known' : 'token.verified', {
      provider: token.provider.name,
      alg: token.algorithm,
      kid: token.kid,
      expiresAt: typeof token.claims['exp'] === 'number' ? token.claims['exp'] * 1000 : null,
      now,
      audience,
    });
  };

  return {
    step: 'token',
    run: (exchange) => {
      if (exchange.credential === null) return NO_TOKEN;
      const now = ports.now();
      const digest = ports.digest(exchange.credential);
      const known = cache.find(digest, now, generation);
      if (known) return judge(exchange, known, true, now);
      return verifyToken(exchange.credential, context.verifier).then((result) => {
        if ('code' in result) return result;
        cache.keep(digest, result, now);
        return judge(exchange, result, false, ports.now());
      });
    },
  };
}
