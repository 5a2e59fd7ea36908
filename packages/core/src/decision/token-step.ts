import type { CompiledRights } from '../access/check-rights.js';
import { joinedClient } from '../credential/joined-client.js';
import type { TokenRule } from '../document/token-rule.js';
import { takesOpaqueTokens } from '../document/provider-rule.js';
import { checkClaims } from '../token/check-claims.js';
import { readIntrospection, type OpaqueProvider } from '../token/introspection.js';
import { openEncrypted, readOpeningKeys } from '../token/open-encrypted.js';
import { readToken, UnreadToken } from '../token/read-token.js';
import type { TokenCache } from '../token/token-cache.js';
import type { VerifiedToken } from '../token/verified-token.js';
import { unreadFinding, verifyToken, type TokenVerifier, type TrustedProvider } from '../token/verify-token.js';
import { whenThere, type Awaitable } from '../util/awaitable.js';
import { finding, type Finding } from '../verdict/codes.js';
import type { Check } from './compiled.js';
import type { Exchange } from './exchange.js';
import type { Ports } from './ports.js';

/** What every token step of one release shares. */
export interface TokenContext {
  readonly verifier: TokenVerifier;
  readonly cache: TokenCache;
  /** In the order of the release, which is the order in which opaque tokens are tried. */
  readonly providers: ReadonlyMap<string, TrustedProvider>;
  readonly ports: Ports;
}

type OpaqueTrusted = TrustedProvider & { readonly rule: OpaqueProvider };

const NO_TOKEN = finding('token.not-sent', {});
const isOpaque = (trusted: TrustedProvider): trusted is OpaqueTrusted => takesOpaqueTokens(trusted.rule);

/** Compiles the step that proves the token. A token seen before costs a digest, a look-up and the checks of its claims. */
export function compileTokenStep(rights: CompiledRights, rule: TokenRule, context: TokenContext): Check {
  const accepted = [...rights.providers].map((id) => context.providers.get(id)?.rule.name ?? id);
  const audience = rule.audiences === 'ANY_AUDIENCE' ? 'ANY_AUDIENCE' : rule.audiences.join(', ');
  const { cache, ports } = context;
  const isCurrent = ({ provider, form, generation }: VerifiedToken): boolean =>
    context.providers.get(provider.id)?.rule === provider && (form === 'opaque' || generation === ports.keys.held(provider.id).generation);
  const prove = compileProve(rights, rule, context);

  const judge = (exchange: Exchange, token: VerifiedToken, known: boolean, now: number): Finding => {
    if (!rights.providers.has(token.provider.id)) return finding('token.issuer-not-accepted', { provider: token.provider.name, accepted });
    const wrong = checkClaims(token, rule, now);
    if (wrong) return wrong;
    exchange.proved({ kind: 'token', scheme: exchange.tokenScheme, token, holder: joinedClient(token, ports.directory()) });
    exchange.tokenIsKnown = known;
    const expiresAt = typeof token.claims['exp'] === 'number' ? token.claims['exp'] * 1000 : null;
    const provider = token.provider.name;
    if (token.form === 'opaque')
      return finding(known ? 'token.active-known' : 'token.active', { provider, expiresAt, now, audience, until: token.usableUntil });
    return finding(known ? 'token.known' : 'token.verified', { provider, alg: token.algorithm ?? '', kid: token.kid, expiresAt, now, audience });
  };

  return {
    step: 'token',
    about: 'token',
    run: (exchange) => {
      const { sentToken } = exchange;
      if (sentToken === null) return NO_TOKEN;
      const { text } = sentToken;
      const now = ports.now();
      const digest = exchange.memory === null ? ports.digest(text) : exchange.memory.tokens.of(text, ports.digest);
      exchange.tokenDigest = digest;
      const known = cache.find(digest, now, isCurrent);
      // What an operation cannot open itself it does not take, though another one may have opened it.
      if (known && known.decryptedBy === (known.decryptedBy === null ? null : rule.decryptionSecret)) return judge(exchange, known, true, now);
      return whenThere(prove(text, digest), (result) => {
        if ('code' in result) return result;
        cache.keep(digest, result, now);
        return judge(exchange, result, false, ports.now());
      });
    },
  };
}

/**
 * Compiles how a token that is not known is proved: a signed one by keys, an encrypted one by opening it first, any
 * other by asking the providers of the operation that take opaque tokens, in order.
 */
export function compileProve(
  rights: CompiledRights,
  rule: TokenRule,
  context: TokenContext,
): (text: string, digest: string) => Awaitable<VerifiedToken | Finding> {
  const { ports, verifier } = context;
  const asked = [...context.providers.values()].filter((trusted): trusted is OpaqueTrusted => rights.providers.has(trusted.rule.id) && isOpaque(trusted));
  const open = compileOpen(rule, ports);

  return (text, digest) => {
    const read = readToken(text);
    if (!(read instanceof UnreadToken)) {
      const own = asked.find((trusted) => trusted.rule.issuer === read.claims['iss']);
      // A provider that is asked may hand out JWTs too: its own word decides then, not a key.
      return own ? ask([own], text, digest) : verifyToken(text, verifier);
    }
    if (read.kind === 'encrypted')
      return open(text).then((opened) => (typeof opened === 'string' ? verifyToken(opened, verifier, rule.decryptionSecret) : opened));
    return read.kind === 'opaque' && asked.length > 0 ? ask(asked, text, digest) : unreadFinding(read);
  };

  async function ask(providers: readonly OpaqueTrusted[], text: string, digest: string): Promise<VerifiedToken | Finding> {
    let refusal: Finding | null = null;
    for (const trusted of providers) {
      const result = readIntrospection(await ports.introspection.ask(trusted.rule, text, digest), trusted, ports.now());
      if (!('code' in result)) return result;
      // “Cannot be asked” outweighs “not mine”: whether the token is good is not known then.
      if (refusal === null || result.code === 'token.introspection-unavailable') refusal = result;
    }
    return refusal ?? finding('token.opaque', { part: null });
  }
}

function compileOpen(rule: TokenRule, ports: Ports): (text: string) => Promise<string | Finding> {
  const { decryptionSecret } = rule;
  let held: { readonly secret: string; readonly keys: ReturnType<typeof readOpeningKeys> } | null = null;
  return async (text) => {
    if (decryptionSecret === null) return finding('token.encrypted', {});
    const secret = ports.secrets.value(decryptionSecret);
    if (secret === null) return finding('token.secret-missing', { secret: decryptionSecret });
    held = held?.secret === secret ? held : { secret, keys: readOpeningKeys(secret) };
    return held.keys ? openEncrypted(text, held.keys) : finding('token.secret-missing', { secret: decryptionSecret });
  };
}
