import { Injectable } from '@nestjs/common';
import {
  canonicalJson,
  ConfigError,
  diffContracts,
  contractInForce,
  STEP_NAMES,
  takesTokens,
  type ApiRule,
  type ContractChange,
  type ReleaseDocument,
  tokenRule,
  UPSTREAM_LIMITS,
  NOTHING_MORE,
} from '@virga/core';
import { addressRuleOf, addressRuleView, conditionUseOf, conditionUseView, lanesOf, limitOf, limitView, planUseOf } from '@virga/protocol';
import type {
  MessageDto,
  ApiPatch,
  ApiSummary,
  ApiView,
  ImportInput,
  ImportView,
  ObservedList,
  OperationsPatch,
  OperationView,
  ReimportInput,
  ReimportView,
} from '@virga/protocol';
import { randomBytes } from 'node:crypto';
import { SecretsService } from '../../secret/secrets.service.js';
import { observedCallers, operationTraffic, type OperationTraffic } from '../../store/record-store.js';
import { Store } from '../../store/store.js';
import type { ContractResult } from '../contract/contract-result.js';
import { ContractService, readingOf } from '../contract/contract.service.js';
import { fieldProblem, notFound } from '../../http/problems.js';
import type { EditedBy } from '../../session/edited-by.js';
import { planlessWords } from './planless.js';
import { revisionOf } from '../releases/draft-part.js';
import { DraftService } from '../releases/draft.service.js';
import { ReleasesService } from '../releases/releases.service.js';
import { accessFrom, accessView } from './access-mapping.js';
import { definedOf, importProblem, operationsOf, schemesUsed, slug, unusable } from './import-mapping.js';
import { sensitiveFrom, sensitiveView } from './sensitive-mapping.js';
import { contractFrom, contractView } from './contract-mapping.js';
import { lanesView, messageView, modesFrom, modesView, observedOf, operationViews } from './operation-view.js';
import { bindByMetadata, schemeFrom, schemeView } from './scheme-mapping.js';
import { overrideFrom, tokenRuleFrom, tokenRuleView } from './token-mapping.js';

const DAY_MS = 86_400_000;
/** Callers that are told of at one time. */
const MOST_OBSERVED = 200;
const TIMEOUTS = { connectTimeoutMs: 3000, responseTimeoutMs: 30_000 };

/** APIs of the draft: bring in, look at, change, say who may call. */
@Injectable()
export class ApisService {
  constructor(
    private readonly store: Store,
    private readonly draft: DraftService,
    private readonly releases: ReleasesService,
    private readonly contracts: ContractService,
    private readonly secrets: SecretsService,
  ) {}

  async list(): Promise<ApiSummary[]> {
    const traffic = await this.#traffic();
    return this.draft.document.apis.map((api) => this.#summary(api, traffic));
  }

  async view(id: string): Promise<ApiView> {
    return this.#view(this.find(id), await this.#traffic());
  }

  find(id: string): ApiRule {
    const api = this.draft.document.apis.find((item) => item.id === id);
    if (!api) throw notFound('API');
    return api;
  }

  /** What the live release has of it; undefined where it has none. */
  live(id: string): ApiRule | undefined {
    return this.releases.live?.document.apis.find((item) => item.id === id);
  }

  async bringIn(input: ImportInput, { by }: EditedBy): Promise<ImportView> {
    const text = await this.contracts.textOf(input.source);
    const result = await this.contracts.read(text);
    if (!result.usable) throw unusable(result);
    const contractHash = await this.contracts.keep(text, result.format);
    const id = randomBytes(6).toString('hex');
    const api: ApiRule = {
      id,
      name: input.name ?? result.title.slice(0, 100),
      version: input.version ?? result.version.slice(0, 50),
      basePath: input.basePath,
      enabled: true,
      upstream: { url: input.upstreamUrl, ...TIMEOUTS, sendCredential: true, callerFields: 'x-forwarded', limits: UPSTREAM_LIMITS },
      resource: { identifier: `urn:api:${slug(input.name ?? result.title)}`, scopes: result.scopes },
      token: tokenRule([`urn:api:${slug(input.name ?? result.title)}`]),
      cors: null,
      schemes: bindByMetadata(result.schemes, this.draft.document.providers),
      access: result.access,
      ...NOTHING_MORE,
      contractHash,
      operations: operationsOf(result, []),
    };
    await this.draft
      .change({ part: { kind: 'apis', id }, by }, (document) => {
        this.#refuseTakenBase(document, api.basePath, id);
        return { ...document, apis: [...document.apis, api] };
      })
      .catch((error: unknown) => {
        throw error instanceof ConfigError ? importProblem(error, api) : error;
      });
    return { api: await this.view(id), reading: readingOf(result) };
  }

  /** Takes a newer description. Rules that an engineer set stay with their operations; what the contract declared is replaced. */
  async bringInAgain(id: string, input: ReimportInput, edited: EditedBy): Promise<ReimportView> {
    const api = this.find(id);
    const text = await this.contracts.textOf(input.source);
    const result = await this.contracts.read(text);
    if (!result.usable) throw unusable(result);
    const declaredBefore = await this.#declaredBefore(api);
    if (input.dryRun) return { reading: readingOf(result), changes: diffContracts(api, this.#renewed(api, result), declaredBefore, result), applied: false };
    const contractHash = await this.contracts.keep(text, result.format);
    let changes: ContractChange[] = [];
    await this.#replace(id, edited, (old) => {
      const renewed = { ...this.#renewed(old, result), contractHash };
      changes = diffContracts(old, renewed, declaredBefore, result);
      return renewed;
    });
    return { reading: readingOf(result), changes, applied: true };
  }

  /** An API as a newer description makes it. Preview and taking it go through here. */
  #renewed(old: ApiRule, result: ContractResult): ApiRule {
    const bound = new Map(old.schemes.map((scheme) => [scheme.name, scheme.providers]));
    const declared = new Set(result.schemes.map((scheme) => scheme.name));
    return {
      ...old,
      version: result.version.slice(0, 50),
      operations: operationsOf(result, old.operations),
      schemes: [
        ...bindByMetadata(result.schemes, this.draft.document.providers).map((scheme) => ({
          ...scheme,
          providers: takesTokens(scheme.type) ? (bound.get(scheme.name) ?? scheme.providers) : [],
        })),
        ...old.schemes.filter((scheme) => !declared.has(scheme.name)),
      ],
      resource: {
        ...old.resource,
        scopes: [...old.resource.scopes, ...result.scopes.filter((scope) => !old.resource.scopes.some((known) => known.name === scope.name))],
      },
      access: old.access.origin === 'contract' ? result.access : old.access,
    };
  }

  /** What the description in force declares; null when its text is not kept or cannot be read any more. */
  async #declaredBefore(api: ApiRule): Promise<ContractResult | null> {
    const row = api.contractHash === null ? null : await this.contracts.find(api.contractHash);
    const result = row && (await this.contracts.read(row.text).catch(() => null));
    return result?.usable ? result : null;
  }

  async change(id: string, patch: ApiPatch, edited: EditedBy): Promise<ApiView> {
    await this.#replace(id, edited, async (api, document) => {
      const token = patch.token && (await tokenRuleFrom(patch.token, api.token, id, this.secrets));
      if (patch.basePath !== undefined) this.#refuseTakenBase(document, patch.basePath, id);
      const schemes = patch.schemes?.map(schemeFrom) ?? api.schemes;
      const names = new Set(schemes.map((scheme) => scheme.name));
      const missing = schemesUsed(api).find((name) => !names.has(name));
      if (patch.schemes && missing !== undefined) throw fieldProblem('/schemes', `The security scheme ${missing} is still used by a rule`);
      const {
        access,
        token: _sent,
        cors,
        schemes: _schemes,
        upstream,
        modes,
        headers,
        addresses,
        conditions,
        contract,
        unmatched,
        learning,
        sensitive,
        plan,
        limits,
        ...rest
      } = patch;
      return {
        ...api,
        ...definedOf(rest),
        schemes,
        ...(cors === undefined ? {} : { cors }),
        ...(upstream ? { upstream: { ...api.upstream, ...definedOf(upstream) } } : {}),
        ...(modes ? { modes: modesFrom(modes) } : {}),
        ...(contract ? { contract: contractInForce(api.contract, contractFrom(contract)) } : {}),
        ...(learning ? { learning: { on: learning.on, answers: learning.answers } } : {}),
        ...(sensitive ? { sensitive: sensitiveFrom(sensitive) } : {}),
        ...(plan ? { plan: planUseOf(plan) } : {}),
        ...(limits ? { limits: limits.map(limitOf) } : {}),
        ...(unmatched ? { unmatched: unmatched.map(({ prefix, mode }) => ({ prefix, mode })) } : {}),
        ...(headers ? { headers: lanesOf(headers) } : {}),
        ...(addresses ? { addresses: addressRuleOf(addresses) } : {}),
        ...(conditions ? { conditions: conditions.map(conditionUseOf) } : {}),
        ...(token ? { token } : {}),
        ...(access ? { access: accessFrom(access, names, '/access') } : {}),
      };
    });
    return this.view(id);
  }

  async remove(id: string, edited: EditedBy): Promise<void> {
    this.find(id);
    await this.draft.change({ part: { kind: 'apis', id }, ...edited }, (document) => ({ ...document, apis: document.apis.filter((api) => api.id !== id) }));
  }

  async operations(id: string): Promise<OperationView[]> {
    const api = this.find(id);
    const traffic = new Map((await this.#traffic()).filter((row) => row.apiId === id).map((row) => [row.operationId, row]));
    return operationViews(api, this.live(id), traffic);
  }

  async observed(id: string): Promise<ObservedList> {
    this.find(id);
    const rows = await observedCallers(this.store, id, Date.now() - DAY_MS, MOST_OBSERVED);
    return { items: rows.map((row) => ({ ...row, stepName: STEP_NAMES[row.step] ?? row.step })) };
  }

  async setAccess(id: string, patch: OperationsPatch, edited: EditedBy): Promise<OperationView[]> {
    await this.#replace(id, edited, (api) => {
      const names = new Set(api.schemes.map((scheme) => scheme.name));
      const change = {
        ...(patch.access === undefined ? {} : { access: patch.access === null ? null : accessFrom(patch.access, names, '/access') }),
        ...(patch.message === undefined ? {} : { message: patch.message && definedOf(patch.message) }),
        ...(patch.modes === undefined ? {} : { modes: patch.modes === null ? null : modesFrom(patch.modes) }),
        ...(patch.addresses === undefined ? {} : { addresses: patch.addresses && addressRuleOf(patch.addresses) }),
        ...(patch.conditions === undefined ? {} : { conditions: patch.conditions && patch.conditions.map(conditionUseOf) }),
        ...(patch.contract === undefined ? {} : { contract: patch.contract === null ? null : contractFrom(patch.contract) }),
        ...(patch.hidden === undefined ? {} : { hidden: patch.hidden }),
        ...(patch.plan === undefined ? {} : { plan: patch.plan && planUseOf(patch.plan) }),
        ...(patch.limits === undefined ? {} : { limits: patch.limits.map(limitOf) }),
        ...(patch.authorizers === undefined ? {} : { authorizers: patch.authorizers }),
        ...(patch.token === undefined ? {} : { token: patch.token === null ? null : overrideFrom(patch.token) }),
      };
      const wanted = new Set(patch.ids);
      const unknown = patch.ids.find((operationId) => !api.operations.some((operation) => operation.id === operationId));
      if (unknown !== undefined) throw fieldProblem('/ids', `There is no operation ${unknown.slice(0, 200)}`);
      return {
        ...api,
        operations: api.operations.map((operation) =>
          wanted.has(operation.id) && canonicalJson({ ...operation, ...change }) !== canonicalJson(operation) ? { ...operation, ...change } : operation,
        ),
      };
    });
    return this.operations(id);
  }

  /** Edits one API. The edit is made from what the draft holds when its turn comes, so that of two at once none is lost. */
  async #replace(id: string, edited: EditedBy, edit: (api: ApiRule, document: ReleaseDocument) => ApiRule | Promise<ApiRule>): Promise<void> {
    this.find(id);
    await this.draft.change({ part: { kind: 'apis', id }, ...edited }, async (document) => {
      const renewed = await edit(this.find(id), document);
      return { ...document, apis: document.apis.map((api) => (api.id === id ? renewed : api)) };
    });
  }

  #refuseTakenBase(document: ReleaseDocument, basePath: string, id: string): void {
    const other = document.apis.find((api) => api.id !== id && api.basePath === basePath);
    if (other) throw fieldProblem('/basePath', `The base path ${basePath || '/'} is taken by ${other.name}`);
  }

  #traffic(): Promise<OperationTraffic[]> {
    const minute = Math.floor((Date.now() - DAY_MS) / 60_000) * 60_000;
    return operationTraffic(this.store, minute);
  }

  #summary(api: ApiRule, traffic: readonly OperationTraffic[]): ApiSummary {
    const live = this.live(api.id);
    const own = traffic.filter((row) => row.apiId === api.id);
    const kinds = api.operations.map((operation) => (operation.access ?? api.access).kind);
    return {
      id: api.id,
      name: api.name,
      version: api.version,
      basePath: api.basePath,
      enabled: api.enabled,
      upstreamUrl: api.upstream.url,
      operationCount: api.operations.length,
      openCount: kinds.filter((kind) => kind === 'open').length,
      publicCount: kinds.filter((kind) => kind === 'public').length,
      incomplete: planlessWords(api, this.draft.document.plans),
      state: !live ? 'new' : this.releases.changes().some((change) => change.what !== 'provider' && change.id === api.id) ? 'changed' : 'same',
      requests: own.reduce((sum, row) => sum + row.requests, 0),
      refused: own.reduce((sum, row) => sum + row.refused, 0),
      wouldRefuse: own.reduce((sum, row) => sum + row.wouldRefuse, 0),
      observedCount: api.operations.filter((operation) => observedOf(api, operation).length > 0).length,
    };
  }

  #view(api: ApiRule, traffic: readonly OperationTraffic[]): ApiView {
    return {
      ...this.#summary(api, traffic),
      revision: revisionOf(api),
      upstream: { ...api.upstream, limits: { ...api.upstream.limits } },
      resource: { identifier: api.resource.identifier, scopes: api.resource.scopes.map((scope) => ({ ...scope })) },
      token: tokenRuleView(api.token),
      cors: api.cors
        ? { ...api.cors, origins: [...api.cors.origins], requestHeaders: [...api.cors.requestHeaders], exposedHeaders: [...api.cors.exposedHeaders] }
        : null,
      schemes: api.schemes.map(schemeView),
      access: accessView(api.access),
      modes: modesView(api.modes),
      message: messageView(api.message) as MessageDto,
      contract: contractView(api.contract),
      unmatched: api.unmatched.map((one) => ({ ...one })),
      plan: { ...api.plan },
      limits: api.limits.map(limitView),
      learning: { ...api.learning },
      sensitive: sensitiveView(api.sensitive),
      headers: lanesView(api.headers),
      addresses: addressRuleView(api.addresses),
      conditions: api.conditions.map(conditionUseView),
      authorizers: [...api.authorizers],
      contractHash: api.contractHash,
    };
  }
}
