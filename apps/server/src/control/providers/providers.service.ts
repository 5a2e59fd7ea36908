import { Injectable } from '@nestjs/common';
import {
  ALGORITHMS,
  canonicalJson,
  PUBLIC_KEY_ALGORITHMS,
  readKeySet,
  STANDARD_CLAIM_MAP,
  type Algorithm,
  type ProviderRule,
  type ProviderSource,
  type PublishedKey,
} from '@virga/core';
import { fetchDiscovery, fetchKeys } from '@virga/outbound';
import type {
  ClaimMapDto,
  DiscoverInput,
  DiscoveryView,
  KeyView,
  NodeProviderReport,
  NodeStatus,
  ProviderComparison,
  ProviderInput,
  ProviderPatch,
  ProviderView,
} from '@virga/protocol';
import { randomBytes } from 'node:crypto';
import { NodeHub } from '../../nodes/node-hub.js';
import { SecretsService } from '../../secret/secrets.service.js';
import { ProviderKeyRow } from '../../store/models/configuration.js';
import { Store } from '../../store/store.js';
import { Background } from '../../http/background.js';
import { fieldProblem, notFound, problem } from '../../http/problems.js';
import type { EditedBy } from '../../session/edited-by.js';
import { revisionOf } from '../releases/draft-part.js';
import { DraftService } from '../releases/draft.service.js';
import { ReleasesService } from '../releases/releases.service.js';
import { differencesOf } from './discovery-differences.js';
import { sourceFrom, sourceView } from './source-mapping.js';

const DEFAULTS = { leewaySeconds: 30, lastGoodSeconds: 86_400 };
const SEEN_EVERY_MS = 60_000;

/** Identity providers: look at one, trust it, watch it. */
@Injectable()
export class ProvidersService {
  readonly #seen = new Map<string, number>();

  constructor(
    private readonly store: Store,
    private readonly draft: DraftService,
    private readonly releases: ReleasesService,
    private readonly hub: NodeHub,
    private readonly secrets: SecretsService,
    background: Background,
  ) {
    hub.onStatus((status) => background.own('Remembering keys of providers', () => this.#remember(status)));
  }

  async list(): Promise<ProviderView[]> {
    return Promise.all(this.draft.document.providers.map((provider) => this.#view(provider)));
  }

  find(id: string): ProviderRule {
    const provider = this.draft.document.providers.find((item) => item.id === id);
    if (!provider) throw notFound('provider');
    return provider;
  }

  view(id: string): Promise<ProviderView> {
    return this.#view(this.find(id));
  }

  /** Asks a provider about itself without trusting it. */
  async discover(input: DiscoverInput): Promise<DiscoveryView> {
    const policy = { issuer: input.issuer, allowLoopbackHttp: input.allowLoopbackHttp ?? false, privateHosts: input.privateHosts ?? [] };
    const nothing = {
      jwksUri: null,
      authorizationEndpoint: null,
      tokenEndpoint: null,
      introspectionEndpoint: null,
      userinfoEndpoint: null,
      signingAlgorithms: [],
      grantTypes: [],
      keys: [],
      refused: [],
    };
    try {
      const { discovery, attempts } = await fetchDiscovery(policy);
      const { jwksUri, authorizationEndpoint, tokenEndpoint } = discovery;
      const said = {
        attempts: attempts.map((item) => ({ ...item })),
        jwksUri,
        authorizationEndpoint,
        tokenEndpoint,
        introspectionEndpoint: discovery.introspectionEndpoint,
        userinfoEndpoint: discovery.userinfoEndpoint,
        signingAlgorithms: [...discovery.signingAlgorithms],
        grantTypes: [...discovery.grantTypes],
      };
      try {
        const keys = await fetchKeys(jwksUri, policy);
        return {
          ok: true,
          problem: null,
          ...said,
          keys: keys.keys.map((key) => keyView(key, null, null, true)),
          refused: keys.refused.map((key) => ({ ...key })),
        };
      } catch (error) {
        return { ...nothing, ok: false, problem: (error as Error).message, ...said };
      }
    } catch (error) {
      return { ...nothing, ok: false, problem: (error as Error).message, attempts: [] };
    }
  }

  async trust(input: ProviderInput, edit: EditedBy): Promise<ProviderView> {
    if (this.draft.document.providers.some((item) => item.issuer === input.issuer))
      throw fieldProblem('/issuer', 'A provider with this issuer is trusted already');
    const id = randomBytes(6).toString('hex');
    const source = await sourceFrom(input.source ?? { kind: 'discovery' }, null, id, this.secrets);
    const provider: ProviderRule = {
      id,
      name: input.name,
      issuer: input.issuer,
      source,
      algorithms: input.algorithms ?? (await this.#suggest(source, input)),
      claimMap: input.claimMap ?? STANDARD_CLAIM_MAP,
      draftOnly: false,
      leewaySeconds: input.leewaySeconds ?? DEFAULTS.leewaySeconds,
      lastGoodSeconds: input.lastGoodSeconds ?? DEFAULTS.lastGoodSeconds,
      allowLoopbackHttp: input.allowLoopbackHttp ?? false,
      privateHosts: input.privateHosts ?? [],
    };
    await this.draft.change({ part: { kind: 'providers', id }, by: edit.by }, (document) => {
      if (document.providers.some((item) => item.issuer === provider.issuer)) throw fieldProblem('/issuer', 'A provider with this issuer is trusted already');
      return { ...document, providers: [...document.providers, provider] };
    });
    return this.view(provider.id);
  }

  /** Algorithms to begin with: those that the keys are for. Asking at once also says early what is wrong. */
  async #suggest(source: ProviderSource, input: ProviderInput): Promise<Algorithm[]> {
    switch (source.kind) {
      case 'discovery': {
        const seen = await this.discover(input);
        if (!seen.ok) throw fieldProblem('/issuer', seen.problem ?? 'The provider could not be asked');
        return suggestAlgorithms(seen.keys, seen.signingAlgorithms);
      }
      case 'key-set-url': {
        const policy = { allowLoopbackHttp: input.allowLoopbackHttp ?? false, privateHosts: input.privateHosts ?? [] };
        const read = await fetchKeys(source.url, policy).catch((error: Error) => {
          throw fieldProblem('/source/url', error.message);
        });
        return suggestAlgorithms(read.keys, []);
      }
      case 'keys':
        return suggestAlgorithms((await readKeySet({ keys: source.keys }))?.keys ?? [], []);
      case 'secret':
        return ['HS256'];
      case 'introspection':
      case 'userinfo':
        return [];
    }
  }

  /** The keys that a provider publishes now, as it publishes them; none when it cannot be asked. */
  async publishedKeys(provider: ProviderRule): Promise<readonly PublishedKey[]> {
    const { source } = provider;
    if (source.kind !== 'discovery' && source.kind !== 'key-set-url') return [];
    try {
      const url = source.kind === 'key-set-url' ? source.url : (await fetchDiscovery(provider)).discovery.jwksUri;
      return (await fetchKeys(url, provider)).keys.map((key) => ({ ...key.jwk }));
    } catch {
      return [];
    }
  }

  /** What a trusted provider says of itself now, held against what is set here. */
  async compare(id: string): Promise<ProviderComparison> {
    const provider = this.find(id);
    const said = await this.discover({ issuer: provider.issuer, allowLoopbackHttp: provider.allowLoopbackHttp, privateHosts: [...provider.privateHosts] });
    return { said, differences: said.ok ? differencesOf(provider, said) : [] };
  }

  async change(id: string, patch: ProviderPatch, edit: EditedBy): Promise<ProviderView> {
    this.find(id);
    await this.draft.change({ part: { kind: 'providers', id }, ...edit }, async (document) => {
      const before = this.find(id);
      const source = patch.source && (await sourceFrom(patch.source, before.source, id, this.secrets));
      const given = { ...Object.fromEntries(Object.entries(patch).filter(([, value]) => value !== undefined)), ...(source ? { source } : {}) };
      return { ...document, providers: document.providers.map((item) => (item.id === id ? { ...item, ...given } : item)) };
    });
    return this.view(id);
  }

  async remove(id: string, edit: EditedBy): Promise<void> {
    const provider = this.find(id);
    const used = this.#usedBy(id);
    if (used.length > 0) throw problem(409, `${provider.name} is still in use`, `Tokens of it meet ${used.join('; ')}. Unbind it there first.`);
    await this.draft.change({ part: { kind: 'providers', id }, ...edit }, (document) => ({
      ...document,
      providers: document.providers.filter((item) => item.id !== id),
    }));
  }

  /** Lets the nodes fetch the keys now. */
  async refresh(id: string): Promise<ProviderView> {
    this.find(id);
    const before = this.#report(id)?.triedAt ?? 0;
    this.hub.refreshProvider(id);
    for (let waited = 0; waited < 6000 && (this.#report(id)?.triedAt ?? 0) <= before; waited += 100) await new Promise((resolve) => setTimeout(resolve, 100));
    return this.view(id);
  }

  #report(id: string): NodeProviderReport | null {
    for (const node of this.hub.nodes) {
      const report = node.status?.providers.find((item) => item.providerId === id);
      if (report) return report;
    }
    return null;
  }

  #usedBy(id: string): string[] {
    return this.draft.document.apis.flatMap((api) =>
      api.schemes.filter((scheme) => scheme.providers.includes(id)).map((scheme) => `${api.name}, ${scheme.name}`),
    );
  }

  async #view(provider: ProviderRule): Promise<ProviderView> {
    const live = this.releases.live?.document.providers.find((item) => item.id === provider.id);
    const report = live ? this.#report(provider.id) : null;
    const rows = await ProviderKeyRow.findAll({ where: { issuer: provider.issuer }, order: [['firstSeenAt', 'ASC']], raw: true });
    const held = new Set(report?.keys.map((key) => key.thumbprint));
    const { id, name, issuer, leewaySeconds, lastGoodSeconds, allowLoopbackHttp, claimMap } = provider;
    return {
      id,
      name,
      issuer,
      revision: revisionOf(provider),
      leewaySeconds,
      lastGoodSeconds,
      allowLoopbackHttp,
      source: sourceView(provider.source),
      claimMap: structuredClone(claimMap) as ClaimMapDto,
      calls: report?.calls ?? null,
      algorithms: [...provider.algorithms],
      privateHosts: [...provider.privateHosts],
      change: !live ? 'new' : canonicalJson(live) === canonicalJson(provider) ? 'same' : 'changed',
      state: live ? (report?.state ?? 'not-asked') : 'not-live',
      reason: live ? (report?.reason ?? 'No node has reported yet.') : 'The provider is in the draft only; nodes ask it once a release holds it.',
      fetchedAt: report?.fetchedAt ?? null,
      keys: rows.map((row) => keyView(JSON.parse(row.body) as KeyFacts, Number(row.firstSeenAt), Number(row.lastSeenAt), held.has(row.thumbprint))),
      refused: (report?.refused ?? []).map((key) => ({ ...key })),
      usedBy: this.#usedBy(id),
    };
  }

  /** Keeps when each key was seen first and last. */
  async #remember(status: NodeStatus): Promise<void> {
    const providers = this.releases.live?.document.providers ?? [];
    const now = Date.now();
    for (const report of status.providers) {
      const issuer = providers.find((item) => item.id === report.providerId)?.issuer;
      if (issuer === undefined) continue;
      for (const key of report.keys) {
        const name = `${issuer} ${key.thumbprint}`;
        if (now - (this.#seen.get(name) ?? 0) < SEEN_EVERY_MS) continue;
        const body = JSON.stringify(key);
        await this.store.write(async (transaction) => {
          const [row, created] = await ProviderKeyRow.findOrCreate({
            where: { issuer, thumbprint: key.thumbprint },
            defaults: { issuer, thumbprint: key.thumbprint, kid: key.kid, body, firstSeenAt: now, lastSeenAt: now },
            transaction,
          });
          if (!created) await row.update({ lastSeenAt: now, body }, { transaction });
        });
        this.#seen.set(name, now);
      }
    }
  }
}

type KeyFacts = Pick<KeyView, 'kid' | 'keyType' | 'curve' | 'bits' | 'algorithm' | 'thumbprint'>;

function keyView(key: KeyFacts, firstSeenAt: number | null, lastSeenAt: number | null, published: boolean): KeyView {
  const { kid, keyType, curve, bits, algorithm, thumbprint } = key;
  return { kid, keyType, curve, bits, algorithm, thumbprint, firstSeenAt, lastSeenAt, published };
}

/** Algorithms that the provider's keys are for; where the keys do not say, those that its metadata names. */
function suggestAlgorithms(keys: readonly Pick<KeyFacts, 'algorithm' | 'keyType' | 'curve'>[], signing: readonly string[]): Algorithm[] {
  const named = new Set([...keys.map((key) => key.algorithm ?? ''), ...signing]);
  const served = PUBLIC_KEY_ALGORITHMS.filter((name) =>
    keys.some((key) => ALGORITHMS[name].keyType === key.keyType && (ALGORITHMS[name].curve ?? key.curve) === key.curve),
  );
  const fits = served.filter((name) => named.has(name));
  if (fits.length > 0) return fits;
  // Neither keys nor metadata say it: the first algorithm for each kind of key.
  const kinds = new Set<string>();
  return served.filter((name) => {
    const kind = `${ALGORITHMS[name].keyType} ${ALGORITHMS[name].curve ?? ''}`;
    return !kinds.has(kind) && kinds.add(kind);
  });
}
