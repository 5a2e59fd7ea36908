import { TokenCache } from '../src/token/token-cache.js';
import { exportJWK, generateKeyPair, SignJWT, type CryptoKey, type JWK, type JWTPayload } from 'jose';
import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import type { AccessRule } from '../src/document/access-rule.js';
import { STANDARD_CLAIM_MAP } from '../src/document/claim-map.js';
import { AS_ITS_API, NOTHING_MORE } from '../src/document/plain-rules.js';
import type { ProviderRule } from '../src/document/provider-rule.js';
import { emptyDocument, type ApiRule, type OperationRule, type ReleaseDocument } from '../src/document/release-document.js';
import { tokenRule } from '../src/document/token-rule.js';
import { UPSTREAM_LIMITS } from '../src/document/upstream-limits.js';
import { compileClaimMap } from '../src/provider/compile-claim-map.js';
import { compileFindUnread } from '../src/provider/unread-claims.js';
import { readKey } from '../src/provider/read-key-set.js';
import type { HeldKeys, KeySource, TokenVerifier } from '../src/token/verify-token.js';
import { WEB_SIGNATURES, type VerificationKey } from '../src/token/verify-signature.js';
import { closedPorts, type Ports } from '../src/decision/ports.js';

export const fixture = (name: string): string => readFileSync(new URL(`fixtures/${name}`, import.meta.url), 'utf8');

export const NOW = Date.UTC(2026, 5, 1, 12);
export const SECONDS = NOW / 1000;
export const ISSUER = 'https://sign-in.example';
export const AUDIENCE = 'https://api.example';

/** A provider that exists only in memory: it signs, and it publishes its keys to the source. */
export interface TestProvider {
  readonly rule: ProviderRule;
  readonly key: VerificationKey;
  readonly jwk: JWK;
  readonly privateKey: CryptoKey;
  sign(claims: JWTPayload, header?: Record<string, unknown>): Promise<string>;
}

export const providerRule = (change: Partial<ProviderRule> = {}): ProviderRule => ({
  id: 'trust',
  name: 'trust',
  issuer: ISSUER,
  source: { kind: 'discovery' },
  algorithms: ['RS256'],
  leewaySeconds: 30,
  lastGoodSeconds: 3600,
  allowLoopbackHttp: false,
  privateHosts: [],
  claimMap: STANDARD_CLAIM_MAP,
  draftOnly: false,
  ...change,
});

/** The verifier that a release would make of these providers. */
export const verifierOf = (keys: KeySource, ...rules: ProviderRule[]): TokenVerifier => ({
  byIssuer: new Map(rules.map((rule) => [rule.issuer, { rule, readPrincipal: compileClaimMap(rule), findUnread: compileFindUnread(rule) }])),
  keys,
  signatures: WEB_SIGNATURES,
});

export async function makeProvider(id: string, issuer = ISSUER, algorithm: 'RS256' | 'ES256' | 'EdDSA' | 'PS256' = 'RS256'): Promise<TestProvider> {
  const { privateKey, publicKey } = await generateKeyPair(algorithm, { extractable: true });
  const jwk: JWK = { ...(await exportJWK(publicKey)), kid: `${id}-1`, alg: algorithm, use: 'sig' };
  const key = await readKey(jwk);
  if (!key) throw new Error('the key cannot be read');
  return {
    rule: providerRule({ id, name: id, issuer, algorithms: [algorithm] }),
    key,
    jwk,
    privateKey,
    sign: (claims, header = {}) =>
      new SignJWT({ iss: issuer, ...claims }).setProtectedHeader({ alg: algorithm, kid: `${id}-1`, typ: 'at+jwt', ...header }).sign(privateKey),
  };
}

export const goodClaims = (claims: JWTPayload = {}): JWTPayload => ({
  sub: 'rider.north',
  client_id: 'rider-tablet',
  aud: AUDIENCE,
  iat: SECONDS - 60,
  exp: SECONDS + 600,
  jti: 'one',
  scope: 'gates:read',
  ...claims,
});

/** A key source over fixed keys that counts how often it is asked again. */
export class TestKeys implements KeySource {
  readonly keys = new Map<string, HeldKeys>();
  refetches = 0;
  onRefetch: (providerId: string) => void = () => undefined;

  constructor(...providers: TestProvider[]) {
    for (const provider of providers) this.set(provider.rule.id, provider.key);
  }

  set(id: string, ...keys: VerificationKey[]): void {
    this.keys.set(id, { generation: (this.keys.get(id)?.generation ?? 0) + 1, state: keys.length > 0 ? 'fresh' : 'none', keys });
  }

  held(id: string): HeldKeys {
    return this.keys.get(id) ?? { generation: 0, state: 'none', keys: [] };
  }

  refetch(provider: ProviderRule): Promise<HeldKeys> {
    this.refetches++;
    this.onRefetch(provider.id);
    return Promise.resolve(this.held(provider.id));
  }
}

export const sha256 = (text: string): string => createHash('sha256').update(text).digest('base64url');

export const portsOf = (keys: KeySource, now: () => number = () => NOW, given: Partial<Ports> = {}): Ports =>
  closedPorts({ now, ticks: () => 0, digest: sha256, keys, tokens: new TokenCache(1000), ...given });

export const requires = (scheme: string, ...scopes: string[]): AccessRule => ({
  kind: 'required',
  origin: 'hand',
  alternatives: [[{ scheme, scopes, match: 'all', roles: [] }]],
});

export const operation = (method: string, path: string, access: AccessRule | null = null): OperationRule => ({
  id: `${method} ${path}`,
  method,
  path,
  ...AS_ITS_API,
  access,
});

export function apiRule(change: Partial<ApiRule> = {}): ApiRule {
  return {
    id: 'gates',
    name: 'Gates',
    version: '1',
    basePath: '/gates-api',
    enabled: true,
    upstream: {
      url: 'http://127.0.0.1:9',
      connectTimeoutMs: 500,
      responseTimeoutMs: 1000,
      sendCredential: true,
      callerFields: 'both',
      limits: UPSTREAM_LIMITS,
    },
    resource: { identifier: AUDIENCE, scopes: [{ name: 'gates:read', description: '' }] },
    token: tokenRule([AUDIENCE]),
    cors: null,
    schemes: [{ name: 'trust', type: 'oauth2', declared: 'oauth2', metadataUrl: null, providers: ['trust'], place: null }],
    access: requires('trust', 'gates:read'),
    ...NOTHING_MORE,
    operations: [
      operation('GET', '/gates'),
      operation('GET', '/gates/{gateId}'),
      operation('POST', '/gates/{gateId}/positions', requires('trust', 'gates:operate')),
      operation('GET', '/public', { kind: 'public', origin: 'hand' }),
    ],
    ...change,
  };
}

export const releaseOf = (providers: readonly ProviderRule[], ...apis: ApiRule[]): ReleaseDocument => ({
  ...emptyDocument('test'),
  providers,
  apis,
});
