import { Injectable } from '@nestjs/common';
import { describePlan, type PlanRule, type ReleaseDocument } from '@virga/core';
import type { PlanInput, PlanList, PlanOpens, PlanView } from '@virga/protocol';
import { fieldProblem, notFound, problem } from '../../http/problems.js';
import type { EditedBy } from '../../session/edited-by.js';
import { subscriptionCounts } from '../../store/subscription-store.js';
import { slug } from '../apis/import-mapping.js';
import { revisionOf } from '../releases/draft-part.js';
import { DraftService } from '../releases/draft.service.js';
import { ReleasesService } from '../releases/releases.service.js';

type Counts = Awaited<ReturnType<typeof subscriptionCounts>>;

/** Plans of the draft: what they open, and what they allow. */
@Injectable()
export class PlansService {
  constructor(
    private readonly draft: DraftService,
    private readonly releases: ReleasesService,
  ) {}

  async list(): Promise<PlanList> {
    const counts = await subscriptionCounts();
    return { items: this.draft.document.plans.map((plan) => this.#view(plan, counts)) };
  }

  async view(id: string): Promise<PlanView> {
    return this.#view(this.#find(id), await subscriptionCounts());
  }

  async add(input: PlanInput, edited: EditedBy): Promise<PlanView> {
    const id = freeId(this.draft.document, input.name);
    await this.draft.change({ part: { kind: 'plans', id }, by: edited.by }, (document) => {
      refuseStrangers(document, input);
      if (document.plans.some((plan) => plan.id === id)) throw fieldProblem('/name', 'Somebody else added a plan of this name just now');
      return { ...document, plans: [...document.plans, ruleOf(id, input)] };
    });
    return this.view(id);
  }

  async set(id: string, input: PlanInput, edited: EditedBy): Promise<PlanView> {
    this.#find(id);
    await this.draft.change({ part: { kind: 'plans', id }, ...edited }, (document) => {
      refuseStrangers(document, input);
      return { ...document, plans: document.plans.map((plan) => (plan.id === id ? ruleOf(id, input) : plan)) };
    });
    return this.view(id);
  }

  async remove(id: string, edited: EditedBy): Promise<void> {
    const { name } = this.#find(id);
    const { active = 0, waiting = 0, suspended = 0 } = (await subscriptionCounts()).get(id) ?? {};
    if (active + waiting + suspended > 0)
      throw problem(
        409,
        'Clients have it',
        `${active + waiting + suspended} subscriptions of ${name} have not ended. End them first: without the plan they open nothing.`,
      );
    await this.draft.change({ part: { kind: 'plans', id }, ...edited }, (document) => ({
      ...document,
      plans: document.plans.filter((plan) => plan.id !== id),
    }));
  }

  #find(id: string): PlanRule {
    const plan = this.draft.document.plans.find((one) => one.id === id);
    if (!plan) throw notFound('plan');
    return plan;
  }

  #view(plan: PlanRule, counts: Counts): PlanView {
    const { apis } = this.draft.document;
    const opens = opensOf(plan, this.draft.document);
    const { active = 0, waiting = 0 } = counts.get(plan.id) ?? {};
    return {
      ...plan,
      covers: plan.covers.map(({ apiId, operations }) => ({ apiId, operations: operations === 'ALL' ? operations : [...operations] })),
      revision: revisionOf(plan),
      says: describePlan(plan),
      opens,
      incomplete: incompleteOf(plan, opens, apis.length),
      live: this.releases.live?.document.plans.some(({ id }) => id === plan.id) ?? false,
      active,
      waiting,
    };
  }
}

/** What a plan opens of each API that there is. */
export function opensOf({ covers }: PlanRule, { apis }: ReleaseDocument): PlanOpens[] {
  return covers.map(({ apiId, operations }) => {
    const api = apis.find(({ id }) => id === apiId);
    if (!api) return { apiId, apiName: 'an API that is gone', operations: 0, gone: operations === 'ALL' ? [] : [...operations], asks: false };
    const known = new Set(api.operations.map(({ id }) => id));
    const named = operations === 'ALL' ? [...known] : operations;
    const open = named.filter((id) => known.has(id));
    const asks = api.operations.some((operation) => open.includes(operation.id) && (operation.plan ?? api.plan).asked);
    return { apiId, apiName: api.name, operations: open.length, gone: named.filter((id) => !known.has(id)), asks };
  });
}

/** What is missing for a plan to be of use, in words; empty where nothing is. */
export function incompleteOf({ name }: Pick<PlanRule, 'name'>, opens: readonly PlanOpens[], apis: number): string {
  if (opens.every(({ operations }) => operations === 0))
    return apis === 0 ? 'There is no API yet that it could open' : `${name} opens nothing: choose an API, or operations of one`;
  const idle = opens.filter(({ asks, operations }) => operations > 0 && !asks);
  return idle.length === opens.length
    ? `${idle.map(({ apiName }) => apiName).join(', ')} ${idle.length === 1 ? 'asks' : 'ask'} for no plan, so it limits nobody yet`
    : '';
}

function ruleOf(id: string, { name, description, covers, rate, quota, atOnce, requestBytes, mode, approval }: PlanInput): PlanRule {
  return {
    id,
    name,
    description,
    covers: covers.map(({ apiId, operations }) => ({ apiId, operations })),
    rate: rate ? { requests: rate.requests, seconds: rate.seconds, burst: rate.burst } : null,
    quota: quota ? { requests: quota.requests, per: quota.per, zone: quota.zone } : null,
    atOnce: atOnce ?? null,
    requestBytes: requestBytes ?? null,
    mode,
    approval,
  };
}

/** What somebody names now has to be there now; it may go later, and opens nothing then. @throws HttpException 422 */
function refuseStrangers({ apis, plans }: ReleaseDocument, { covers }: PlanInput): void {
  const named = new Set(plans.flatMap((plan) => plan.covers.flatMap(({ operations }) => (operations === 'ALL' ? [] : operations))));
  covers.forEach(({ apiId, operations }, index) => {
    const api = apis.find(({ id }) => id === apiId);
    if (!api) throw fieldProblem(`/covers/${index}/apiId`, 'There is no such API');
    const unknown = operations === 'ALL' ? undefined : operations.find((id) => !api.operations.some((operation) => operation.id === id) && !named.has(id));
    if (unknown !== undefined) throw fieldProblem(`/covers/${index}/operations`, `There is no operation ${unknown.slice(0, 200)}`);
  });
}

function freeId({ plans }: ReleaseDocument, name: string): string {
  const base = slug(name, 'plan').slice(0, 80);
  for (let index = 1; ; index++) {
    const id = index === 1 ? base : `${base}-${index}`;
    if (!plans.some((plan) => plan.id === id)) return id;
  }
}
