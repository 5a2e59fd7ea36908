import { Injectable } from '@nestjs/common';
import { takesTokens, type AccessRule, type ApiRule, type FindingSide } from '@virga/core';
import type { AttentionItem } from '@virga/protocol';
import { NodeHub } from '../../nodes/node-hub.js';
import { tableColumns } from '../../store/table-store.js';
import { observedOf } from '../apis/operation-view.js';
import { ApisService } from '../apis/apis.service.js';
import { InventoryService } from '../inventory/inventory.service.js';
import { SensitiveService } from '../sensitive/sensitive.service.js';
import { addressItems, leakedItems, revocationItems, tableItems } from './live-items.js';
import { OddTables } from './odd-tables.js';
import { apartItems, planItems } from './plan-items.js';
import { portalItems } from './portal-items.js';
import { ProvidersService } from '../providers/providers.service.js';
import { DraftService } from '../releases/draft.service.js';
import { ReleasesService } from '../releases/releases.service.js';
import { RevocationsService } from '../revocations/revocations.service.js';

/** How long ago traffic may be that is still told of. */
const RECENT_MS = 7 * 86_400_000;

const isAnswer = (side: FindingSide): boolean => side === 'answer-body' || side === 'answer-header';

/** From the gravest on: what refuses or lets in whom it should not, what does not hold as it seems, what waits for somebody. */
const GRAVITY: readonly AttentionItem['mark'][] = ['refused', 'would-refuse', 'unknown'];

/** What an engineer should look at next, the gravest first; within them by what it is about. */
@Injectable()
export class AttentionService {
  readonly #oddTables = new OddTables();

  constructor(
    private readonly apis: ApisService,
    private readonly providers: ProvidersService,
    private readonly releases: ReleasesService,
    private readonly draft: DraftService,
    private readonly hub: NodeHub,
    private readonly inventory: InventoryService,
    private readonly sensitive: SensitiveService,
    private readonly revocations: RevocationsService,
  ) {}

  async items(): Promise<AttentionItem[]> {
    const items = [
      ...this.#nodes(),
      ...(await this.#providers()),
      ...addressItems(this.releases.live?.document),
      ...tableItems(this.releases.live?.document, await tableColumns()),
      ...(await this.#oddTables.items()),
      ...(await leakedItems()),
      ...revocationItems(this.revocations.list()),
      ...(await portalItems()),
      ...planItems(this.draft.document),
      ...apartItems(
        this.draft.document,
        this.hub.connected.map(({ status }) => status?.counts),
      ),
      ...(await this.#operations()),
      ...(await this.#traffic()),
      ...this.draft.document.apis.flatMap(undecided),
      ...this.#draft(),
    ];
    return GRAVITY.flatMap((gravity) => items.filter(({ mark }) => mark === gravity));
  }

  #nodes(): AttentionItem[] {
    if (this.hub.nodes.length === 0)
      return [{ mark: 'refused', title: 'No gateway node is connected', detail: 'Nothing is served until one connects.', link: '/releases' }];
    return this.hub.nodes.flatMap((node): AttentionItem[] => {
      const refused = node.status?.refusedRelease;
      if (refused) return [{ mark: 'refused', title: `Node ${node.name} cannot use release ${refused.number}`, detail: refused.reason, link: '/releases' }];
      const problems = node.status?.problems ?? [];
      if (problems.length > 0)
        return [{ mark: 'would-refuse', title: `Node ${node.name} found something wrong`, detail: problems.join('; '), link: '/releases' }];
      return node.channel
        ? []
        : [{ mark: 'unknown', title: `Node ${node.name} is away`, detail: 'It serves its last good release and comes back by itself.', link: '/releases' }];
    });
  }

  async #providers(): Promise<AttentionItem[]> {
    const providers = await this.providers.list();
    return providers.flatMap((provider): AttentionItem[] => {
      const link = `/providers/${provider.id}`;
      const weak = provider.refused.map((key): AttentionItem => ({
        mark: 'unknown',
        title: `${provider.name} publishes a key that is refused`,
        detail: `${key.kid ?? `key ${key.index}`}: ${key.reason}`,
        link,
      }));
      if (provider.state === 'failing') return [{ mark: 'refused', title: `${provider.name} cannot be reached`, detail: provider.reason, link }, ...weak];
      if (provider.state === 'last-good')
        return [{ mark: 'would-refuse', title: `${provider.name} is served by its last good keys`, detail: provider.reason, link }, ...weak];
      return weak;
    });
  }

  async #operations(): Promise<AttentionItem[]> {
    const live = this.releases.live;
    const found: AttentionItem[] = [];
    for (const api of live?.document.apis ?? []) {
      const open = api.operations.filter((operation) => (operation.access ?? api.access).kind === 'open');
      const writing = open.find((operation) => !['GET', 'HEAD', 'OPTIONS'].includes(operation.method)) ?? open[0];
      const link = `/apis/${api.id}?show=open`;
      if (writing) {
        const title =
          open.length === 1 ? `${api.name}: ${writing.method} ${writing.path} is open to anyone` : `${api.name}: ${open.length} operations are open to anyone`;
        const calls = this.draft.document.apis.some((item) => item.id === api.id)
          ? (await this.apis.operations(api.id)).filter((item) => open.some((one) => one.id === item.id)).reduce((sum, item) => sum + item.requests, 0)
          : 0;
        found.push({
          mark: 'refused',
          title,
          detail: `Nobody has decided who may call${open.length > 1 ? `, ${writing.method} ${writing.path} among them` : ''}; ${calls} calls in 24 h. Require something or say public.`,
          link,
        });
      }
      found.push(...weakTokenRules(api), ...keysInQueries(api), ...(await this.#observed(api)));
      const unbound = api.schemes.filter((scheme) => takesTokens(scheme.type) && scheme.providers.length === 0);
      const used = unbound.filter((scheme) =>
        [api.access, ...api.operations.map((operation) => operation.access)].some(
          (rule) => rule?.kind === 'required' && rule.alternatives.flat().some((item) => item.scheme === scheme.name),
        ),
      );
      for (const scheme of used)
        found.push({
          mark: 'unknown',
          title: `${api.name}: nobody can meet ${scheme.name}`,
          detail: 'No provider is bound to this security scheme, so its operations refuse everyone.',
          link: `/apis/${api.id}/access`,
        });
    }
    return found;
  }

  /** What traffic shows that nobody meant: operations in no contract, and sensitive data that callers receive. */
  async #traffic(): Promise<AttentionItem[]> {
    const [items, sensitive] = await Promise.all([this.inventory.undocumented(), this.sensitive.view()]);
    const recent = Date.now() - RECENT_MS;
    return this.draft.document.apis.flatMap(({ id: apiId, name }): AttentionItem[] => {
      const undocumented = items.filter((item) => item.apiId === apiId && !item.dismissed && (item.lastAt ?? 0) > recent);
      const [most] = [...undocumented].sort((a, b) => b.requests - a.requests);
      const leaves = sensitive.items.filter((item) => item.apiId === apiId && isAnswer(item.side) && item.reached > 0 && item.lastAt > recent);
      const [first] = leaves;
      return [
        ...(most
          ? [
              {
                mark: 'would-refuse' as const,
                title: `${name}: ${undocumented.length === 1 ? 'an operation is' : `${undocumented.length} operations are`} called and in no contract`,
                detail: `${most.method} ${most.path}${undocumented.length > 1 ? ' among them' : ''}, ${most.requests} requests were looked into. Review and take it, or dismiss it.`,
                link: `/inventory?kind=undocumented&api=${apiId}`,
              },
            ]
          : []),
        ...(first
          ? [
              {
                mark: 'would-refuse' as const,
                title: `${name}: sensitive data leaves with answers`,
                detail: `${[...new Set(leaves.map(({ detectorName }) => detectorName))].join(', ')}; ${first.method} ${first.path} at ${first.at || 'the whole'}, ${first.reached} times. Mask it, or mend the service.`,
                link: `/sensitive?api=${apiId}`,
              },
            ]
          : []),
      ];
    });
  }

  /** Operations that only observe: whoever they would refuse gets in. */
  async #observed(api: ApiRule): Promise<AttentionItem[]> {
    const observed = api.operations.filter((operation) => observedOf(api, operation).length > 0);
    const [first] = observed;
    if (!first) return [];
    const operations = this.draft.document.apis.some(({ id }) => id === api.id) ? await this.apis.operations(api.id) : [];
    const seen = operations.filter(({ id }) => observed.some((one) => one.id === id));
    const [requests, would] = [seen.reduce((sum, one) => sum + one.requests, 0), seen.reduce((sum, one) => sum + one.wouldRefuse, 0)];
    const title =
      observed.length === 1 ? `${api.name}: ${first.method} ${first.path} only observes` : `${api.name}: ${observed.length} operations only observe`;
    const detail = `Enforcing would have refused ${would} of ${requests} calls in 24 h. Look who they were, then enforce.`;
    return [{ mark: 'would-refuse', title, detail, link: `/traces?outcome=would-refuse&api=${encodeURIComponent(api.id)}` }];
  }

  #draft(): AttentionItem[] {
    return this.draft.problems.map((item) => ({
      mark: 'unknown',
      title: 'The draft cannot be published',
      detail: `${item.detail} (${item.pointer})`,
      link: '/releases',
    }));
  }
}

/** Operations whose security could not be read when their contract came in: they refuse everyone until somebody decides. */
function undecided(api: ApiRule): AttentionItem[] {
  const closed = api.operations.filter(({ access }) => isNobody(access ?? api.access));
  const [first] = closed;
  if (!first) return [];
  const others = closed.length === 1 ? '' : ` and ${closed.length - 1} more`;
  const title = `${api.name}: ${first.method} ${first.path}${others} let nobody in`;
  return [{ mark: 'refused', title, detail: 'The security in the contract could not be read. Say who may call.', link: `/apis/${api.id}` }];
}

const isNobody = (access: AccessRule): boolean => access.kind === 'required' && access.alternatives.length === 0;

/** What an API asks too little of its tokens, itself or in single operations (OWASP API Security Top 10 2023, API2). */
function weakTokenRules(api: ApiRule): AttentionItem[] {
  const link = `/apis/${api.id}/access`;
  const rules = [
    { where: api.name, rule: api.token },
    ...api.operations.flatMap(({ method, path, token }) => (token ? [{ where: `${api.name}: ${method} ${path}`, rule: token }] : [])),
  ];
  return rules.flatMap(({ where, rule }): AttentionItem[] => [
    ...(rule.audiences === 'ANY_AUDIENCE'
      ? [
          {
            mark: 'would-refuse' as const,
            title: `${where} takes tokens for any audience`,
            detail: 'A token issued for another API passes here. Name the audiences.',
            link,
          },
        ]
      : []),
    ...(rule.places?.some((place) => place.kind === 'query')
      ? [
          {
            mark: 'would-refuse' as const,
            title: `${where} takes tokens in the query`,
            detail: 'Addresses end up in logs, histories and referrers, and the tokens with them (RFC 6750 section 5.3). Take them in a header.',
            link,
          },
        ]
      : []),
  ]);
}

/** Keys that travel in addresses, which end up in logs (common practice, as RFC 6750 section 5.3 says of tokens). */
function keysInQueries({ id, name, schemes }: ApiRule): AttentionItem[] {
  const found = schemes.find(({ type, place }) => type === 'apiKey' && place?.kind === 'query');
  if (!found) return [];
  return [
    {
      mark: 'would-refuse',
      title: `${name} takes keys in the query`,
      detail: `${found.name} looks for them in the parameter ${found.place?.name ?? ''}. Addresses end up in logs and histories, and the keys with them. Take them in a header.`,
      link: `/apis/${id}/access`,
    },
  ];
}
