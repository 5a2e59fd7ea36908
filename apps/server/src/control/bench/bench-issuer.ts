import { Inject, Injectable } from '@nestjs/common';
import { STANDARD_CLAIM_MAP, type ProviderRule, type PublishedKey, type ReleaseDocument } from '@virga/core';
import type { MintInput, MintView } from '@virga/protocol';
import { originAt } from '@virga/protocol/node';
import { CompactSign, exportJWK, generateKeyPair, importJWK, type JWK } from 'jose';
import { SETTINGS, type ServerSettings } from '../../config/settings.js';
import { fieldProblem } from '../../http/problems.js';
import { Vault } from '../../secret/vault.js';
import { SettingRow } from '../../store/models/configuration.js';
import { Store } from '../../store/store.js';

const ALGORITHMS = ['RS256', 'PS256', 'ES256', 'ES384', 'EdDSA'] as const;
const SETTING = 'bench.keys';
export const BENCH_PROVIDER = 'bench';

/** The bench's own issuer: it signs test tokens, which drafts may trust for one question and releases never do. */
@Injectable()
export class BenchIssuer {
  #keys: Promise<readonly JWK[]> | null = null;

  constructor(
    private readonly store: Store,
    private readonly vault: Vault,
    @Inject(SETTINGS) private readonly settings: ServerSettings,
  ) {}

  get issuer(): string {
    return `${originAt(this.settings.host, this.settings.port)}/bench-issuer`;
  }

  async keySet(): Promise<{ keys: PublishedKey[] }> {
    return { keys: (await this.#held()).map(publicPart) };
  }

  async mint(input: MintInput): Promise<MintView> {
    const key = (await this.#held()).find((jwk) => jwk.alg === input.algorithm);
    if (!key) throw fieldProblem('/algorithm', 'The bench has no key for this algorithm');
    const now = Math.floor(Date.now() / 1000);
    const claims = { iss: this.issuer, iat: now, exp: now + 600, ...input.claims };
    const header = { typ: 'at+jwt', alg: input.algorithm, kid: key.kid ?? '', ...input.header };
    return { token: await this.sign(header, claims, key), issuer: this.issuer, kid: key.kid ?? '' };
  }

  /** Signs what it is given, right or wrong: members that are undefined are left out. */
  async sign(header: Readonly<Record<string, unknown>>, claims: Readonly<Record<string, unknown>>, key?: JWK): Promise<string> {
    const alg = String(header['alg']);
    const jwk = key ?? (await this.#held()).find((item) => item.alg === alg);
    if (!jwk) throw fieldProblem('/token', `The bench has no key for ${alg}`);
    const clean = JSON.parse(JSON.stringify(header)) as Record<string, unknown>;
    if (clean['alg'] !== jwk.alg || clean['crit'] !== undefined || clean['b64'] !== undefined)
      throw fieldProblem('/header', 'alg is chosen beside; crit and b64 cannot be signed. Variants with a wrong alg are made by tampering');
    return new CompactSign(new TextEncoder().encode(JSON.stringify(claims)))
      .setProtectedHeader({ ...clean, alg: jwk.alg ?? '' })
      .sign(await importJWK(jwk, jwk.alg));
  }

  /** A document that trusts this issuer wherever it trusts anybody. It can be tried, never published. */
  async trustedBy(document: ReleaseDocument): Promise<ReleaseDocument> {
    const { keys } = await this.keySet();
    const rule: ProviderRule = {
      id: BENCH_PROVIDER,
      name: 'The bench’s own issuer',
      issuer: this.issuer,
      source: { kind: 'keys', keys },
      algorithms: [...ALGORITHMS],
      leewaySeconds: 30,
      lastGoodSeconds: 604_800,
      allowLoopbackHttp: true,
      privateHosts: [],
      claimMap: STANDARD_CLAIM_MAP,
      draftOnly: true,
    };
    const trusting = document.apis.map((api) => ({
      ...api,
      schemes: api.schemes.map((scheme) => (scheme.type === 'unsupported' ? scheme : { ...scheme, providers: [...scheme.providers, BENCH_PROVIDER] })),
    }));
    return { ...document, providers: [...document.providers, rule], apis: trusting };
  }

  /** Makes the keys when they are first needed. */
  #held(): Promise<readonly JWK[]> {
    this.#keys ??= this.#load().catch((error: unknown) => {
      this.#keys = null;
      throw error;
    });
    return this.#keys;
  }

  async #load(): Promise<readonly JWK[]> {
    const row = await SettingRow.findByPk(SETTING, { raw: true });
    if (row) return JSON.parse(this.vault.open(row.value, SETTING)) as JWK[];
    const keys = await Promise.all(
      ALGORITHMS.map(async (alg) => {
        const { privateKey } = await generateKeyPair(alg, { extractable: true });
        return { ...(await exportJWK(privateKey)), alg, use: 'sig', kid: `bench-${alg.toLowerCase()}` };
      }),
    );
    const value = this.vault.seal(JSON.stringify(keys), SETTING);
    await this.store.write((transaction) => SettingRow.upsert({ name: SETTING, value }, { transaction }));
    return keys;
  }
}

const PUBLIC_MEMBERS = ['kty', 'crv', 'x', 'y', 'n', 'e', 'alg', 'use', 'kid'];

const publicPart = (jwk: JWK): PublishedKey => Object.fromEntries(Object.entries(jwk).filter(([name]) => PUBLIC_MEMBERS.includes(name)));
