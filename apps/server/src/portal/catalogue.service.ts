import { Injectable } from '@nestjs/common';
import {
  describePlan,
  modeOf,
  takesTokens,
  type AccessRule,
  type ApiRule,
  type ModedCheck,
  type OperationRule,
  type PlanRule,
  type SchemeRequirement,
  type TokenPlace,
} from '@virga/core';
import type {
  GatewayRefusal,
  NeededProof,
  NeededProofs,
  OfferedApi,
  OfferedApiView,
  OfferedOperation,
  OfferedPlan,
  OfferedReleases,
  PortalSession,
  ReferenceView,
} from '@virga/protocol';
import { ReferenceService } from '../control/reference/reference.service.js';
import { ReleasesService } from '../control/releases/releases.service.js';
import { notFound } from '../http/problems.js';
import { isKnown } from './is-known.js';
import { OfferedChangesService } from './offered-changes.service.js';
import { PortalSettingsService, type KeptProvider, type PortalSettings, type Shown } from './portal-settings.service.js';

/** What somebody sees: who is not signed in, or waits for approval, sees what everybody does. */
function sees(session: PortalSession | null, shown: Shown | undefined): boolean {
  if (shown === undefined || shown.seen === 'nobody') return false;
  if (shown.seen === 'everybody') return true;
  if (!isKnown(session)) return false;
  return shown.seen === 'signed-in' || session.teams.some(({ id }) => shown.teams.includes(id));
}

/** APIs as those see them who may call them: what is live and shown, without what is hidden. */
@Injectable()
export class CatalogueService {
  constructor(
    private readonly settings: PortalSettingsService,
    private readonly releases: ReleasesService,
    private readonly reference: ReferenceService,
    private readonly changes: OfferedChangesService,
  ) {}

  async list(session: PortalSession | null): Promise<OfferedApi[]> {
    const settings = await this.settings.read();
    const items = await Promise.all(
      this.#live
        .filter(({ id }) => sees(session, settings.apis[id]))
        .map(async (api) => offeredApi(api, await this.#pages(api), settings, await this.changes.lastOf(api.id))),
    );
    return items.sort((a, b) => a.name.localeCompare(b.name));
  }

  async view(session: PortalSession | null, id: string): Promise<OfferedApiView> {
    const { api, settings } = await this.find(session, id);
    const pages = await this.#pages(api);
    return {
      ...offeredApi(api, pages, settings, await this.changes.lastOf(id)),
      address: pages.address,
      groups: pages.groups,
      plans: this.plansOf(api).map(offeredPlan),
    };
  }

  async operation(session: PortalSession | null, id: string, operationId: string): Promise<OfferedOperation> {
    const { api, settings } = await this.find(session, id);
    const own = api.operations.find((one) => one.id === operationId);
    if (!own || own.hidden) throw notFound('operation');
    const asksPlan = (own.plan ?? api.plan).asked;
    return {
      ...(await this.reference.operationOf(api, operationId)),
      operationId,
      method: own.method,
      path: own.path,
      needs: needsOf(
        own,
        api,
        settings.providers.filter(({ providerId }) => this.settings.isLive(providerId)),
      ),
      asksPlan,
      plans: this.plansOf(api)
        .filter((plan) => opens(plan, api.id, operationId))
        .map(({ id: planId }) => planId),
      refusals: refusalsOf(own, api, asksPlan),
    };
  }

  async releasesOf(session: PortalSession | null, id: string): Promise<OfferedReleases> {
    await this.find(session, id);
    return { items: await this.changes.of(id) };
  }

  /** An API that somebody sees. @throws HttpException 404 for any other, whether there is one or not */
  async find(session: PortalSession | null, id: string): Promise<{ readonly api: ApiRule; readonly settings: PortalSettings }> {
    const settings = await this.settings.read();
    const api = this.#live.find((one) => one.id === id);
    if (!api || !sees(session, settings.apis[id])) throw notFound('API');
    return { api, settings };
  }

  /** A plan that opens something which somebody sees. */
  async findPlan(session: PortalSession, planId: string): Promise<PlanRule | null> {
    const { apis } = await this.settings.read();
    const plan = this.releases.live?.document.plans.find(({ id }) => id === planId);
    return plan?.covers.some(({ apiId }) => this.#live.some(({ id }) => id === apiId) && sees(session, apis[apiId])) ? plan : null;
  }

  planName(planId: string): { readonly name: string; readonly says: string[] } {
    const plan = this.releases.live?.document.plans.find(({ id }) => id === planId);
    return plan ? { name: plan.name, says: describePlan(plan) } : { name: 'a plan that is gone', says: [] };
  }

  /** What is called so now; null for what is not shown to whoever asks. */
  async nameOfApi(session: PortalSession, id: string): Promise<string | null> {
    const { apis } = await this.settings.read();
    const api = this.#live.find((one) => one.id === id);
    return api && sees(session, apis[id]) ? api.name : null;
  }

  /** The API whose base a path has, the longest first, as the gateway routes it; null for none. */
  servedBy(path: string): string | null {
    const bases = this.#live.filter(({ basePath }) => path === basePath || path.startsWith(`${basePath}/`));
    return bases.sort((a, b) => b.basePath.length - a.basePath.length)[0]?.id ?? null;
  }

  plansOf(api: ApiRule): readonly PlanRule[] {
    return this.releases.live?.document.plans.filter((plan) => opens(plan, api.id, null)) ?? [];
  }

  get #live(): readonly ApiRule[] {
    return this.releases.live?.document.apis.filter(({ enabled }) => enabled) ?? [];
  }

  async #pages(api: ApiRule): Promise<ReferenceView> {
    // An API without a contract has no pages; it is named all the same.
    if (api.contractHash === null) return { title: api.name, version: api.version, description: '', address: '', groups: [] };
    const view = await this.reference.of(api);
    const groups = view.groups.map((group) => ({ ...group, operations: group.operations.filter(({ hidden }) => !hidden) }));
    return { ...view, groups: groups.filter(({ operations }) => operations.length > 0) };
  }
}

function opens({ covers }: PlanRule, apiId: string, operationId: string | null): boolean {
  return covers.some((cover) => cover.apiId === apiId && (operationId === null || cover.operations === 'ALL' || cover.operations.includes(operationId)));
}

const offeredPlan = (plan: PlanRule): OfferedPlan => ({
  id: plan.id,
  name: plan.name,
  description: plan.description,
  says: describePlan(plan),
  approval: plan.approval,
});

function offeredApi(api: ApiRule, pages: ReferenceView, settings: PortalSettings, changedAt: number | null): OfferedApi {
  return {
    id: api.id,
    name: api.name,
    version: api.version,
    description: pages.description,
    operations: pages.groups.reduce((sum, { operations }) => sum + operations.length, 0),
    asksPlan: api.operations.some(({ plan, hidden }) => !hidden && (plan ?? api.plan).asked),
    everybody: settings.apis[api.id]?.seen === 'everybody',
    changedAt,
  };
}

/** What to send, by each alternative of the rule that is live. */
export function needsOf(operation: OperationRule, api: ApiRule, providers: readonly KeptProvider[]): NeededProofs[] {
  const rule: AccessRule = operation.access ?? api.access;
  if (rule.kind !== 'required') return [{ all: [] }];
  return rule.alternatives.map((alternative) => ({ all: alternative.map((requirement) => proofOf(requirement, operation, api, providers)) }));
}

function proofOf({ scheme, scopes, roles }: SchemeRequirement, operation: OperationRule, api: ApiRule, providers: readonly KeptProvider[]): NeededProof {
  const own = api.schemes.find(({ name }) => name === scheme);
  const asked = { scopes: [...scopes], roles: [...roles], providers: [] as NeededProof['providers'] };
  if (own && takesTokens(own.type)) {
    const [place] = operation.token?.places ?? api.token.places;
    const open = providers.filter(({ providerId }) => own.providers.includes(providerId)).map(({ providerId, label }) => ({ id: providerId, label }));
    return { kind: 'token', ...placeOf(place), ...asked, providers: open };
  }
  switch (own?.type) {
    case 'apiKey':
      return { kind: 'key', ...placeOf(own.place ?? undefined), ...asked };
    case 'http-basic':
      return { kind: 'basic', place: 'header', name: 'authorization', scheme: 'Basic', ...asked };
    case 'mutualTLS':
      return { kind: 'certificate', place: 'connection', name: '', scheme: '', ...asked };
    default:
      return { kind: 'other', place: 'header', name: scheme, scheme: '', ...asked };
  }
}

function placeOf(place: TokenPlace | undefined): Pick<NeededProof, 'place' | 'name' | 'scheme'> {
  if (!place) return { place: 'header', name: 'authorization', scheme: 'Bearer' };
  return { place: place.kind, name: place.name, scheme: place.kind === 'header' ? (place.scheme ?? '') : '' };
}

/** Answers of the gateway itself, as far as its rules say so. What is only observed refuses nobody. */
function refusalsOf(operation: OperationRule, api: ApiRule, asksPlan: boolean): GatewayRefusal[] {
  const modes = operation.modes ?? api.modes;
  const enforced = (...checks: ModedCheck[]): boolean => checks.some((check) => modeOf(modes, check) === 'enforce');
  const rule = operation.access ?? api.access;
  const required = rule.kind === 'required';
  const narrowed = (operation.conditions ?? api.conditions).length > 0 || (operation.authorizers ?? api.authorizers).length > 0;
  const plan = asksPlan && enforced('plan');
  const refusals: GatewayRefusal[] = [];
  if (required && enforced('credential', 'token', 'key', 'basic', 'certificate'))
    refusals.push({ status: 401, says: 'There is no proof of who calls, or it is wrong, expired or withdrawn.' });
  if ((required && enforced('rights')) || narrowed || plan)
    refusals.push({
      status: 403,
      says: plan ? 'The proof is good, but does not open this, or the client has no plan for it.' : 'The proof is good, but does not open this.',
    });
  if (Object.values({ ...api.contract.parts, ...operation.contract?.parts }).includes('enforce'))
    refusals.push({ status: 400, says: 'The request is not as described here; the answer says where.' });
  if (asksPlan || api.limits.length + operation.limits.length > 0)
    refusals.push({ status: 429, says: 'Too many requests. The header field Retry-After says in how many seconds to come again.' });
  refusals.push({ status: 502, says: 'The service behind did not answer as it should.' });
  return refusals;
}
