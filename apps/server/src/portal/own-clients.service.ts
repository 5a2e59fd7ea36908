import { Injectable } from '@nestjs/common';
import type {
  ClientStanding,
  ClientUseView,
  OwnClient,
  OwnClientInput,
  OwnClientPatch,
  OwnKeyInput,
  OwnPlan,
  OwnSecretMade,
  PlanAsked,
  RotationInput,
  UseDays,
} from '@virga/protocol';
import type { Transaction } from 'sequelize';
import { stateOf, timeOf } from '../control/clients/client-views.js';
import { ClientsService } from '../control/clients/clients.service.js';
import { ClientUseService } from '../control/clients/client-use.service.js';
import { LimitsService } from '../control/limits/limits.service.js';
import { SubscriptionsService, subscriptionNow } from '../control/plans/subscriptions.service.js';
import { fieldProblem, notFound, problem } from '../http/problems.js';
import { ClientRow, CredentialRow } from '../store/models/clients.js';
import { RegistrationRow } from '../store/models/portal.js';
import { SubscriptionRow } from '../store/models/subscriptions.js';
import { refusedBefore } from '../store/subscription-store.js';
import { CatalogueService } from './catalogue.service.js';
import type { Acting } from './portal.guard.js';

/** Limits that count what a client does and nobody else. */
const OWN_LIMITS: ReadonlySet<string> = new Set(['client', 'credential']);
const CLIENTS_OF_TEAM = 50;
/** Requests for plans that wait at one time, of one team. */
const WAITING_OF_TEAM = 20;

/** What a team does with its own clients. Every edit asks again, inside its transaction, whether the client is the team's. */
@Injectable()
export class OwnClientsService {
  constructor(
    private readonly clients: ClientsService,
    private readonly subscriptions: SubscriptionsService,
    private readonly uses: ClientUseService,
    private readonly limits: LimitsService,
    private readonly catalogue: CatalogueService,
  ) {}

  async list(teamId: string): Promise<OwnClient[]> {
    const rows = await ClientRow.findAll({
      where: { teamId },
      order: [
        ['name', 'ASC'],
        ['id', 'ASC'],
      ],
      raw: true,
    });
    return this.#views(rows);
  }

  async view(teamId: string, id: string): Promise<OwnClient> {
    const [view] = await this.#views([await this.#own(teamId, id)]);
    if (!view) throw notFound('client');
    return view;
  }

  async add({ name, description = '' }: OwnClientInput, { team, author }: Acting): Promise<OwnClient> {
    const refuse = async (transaction: Transaction): Promise<void> => {
      if ((await ClientRow.count({ where: { teamId: team.id }, transaction })) >= CLIENTS_OF_TEAM)
        throw problem(409, 'Too many clients', `A team has at most ${CLIENTS_OF_TEAM}. Take away those that nobody uses.`);
    };
    const { client } = await this.clients.add({ name, description, owner: team.name }, author, team.id, refuse);
    return this.view(team.id, client.id);
  }

  async change(id: string, patch: OwnClientPatch, { team, author }: Acting): Promise<OwnClient> {
    await this.#own(team.id, id);
    const { name, description } = patch;
    await this.clients.change(id, { ...(name === undefined ? {} : { name }), ...(description === undefined ? {} : { description }) }, author);
    return this.view(team.id, id);
  }

  async remove(id: string, { team, author }: Acting): Promise<void> {
    const { enabled } = await this.#own(team.id, id);
    // What the operator decided stays to be read: a client that was taken away could come again as if nothing had been.
    if (!enabled || (await refusedBefore([id])).length > 0)
      throw problem(
        409,
        'The operator decided about it',
        'It is switched off, or a plan of it was suspended, ended or declined. Ask the operator to take it away.',
      );
    await this.clients.remove(id, author);
  }

  async makeKey(id: string, { name, expiresAt = null }: OwnKeyInput, { team, author }: Acting): Promise<OwnSecretMade> {
    await this.#own(team.id, id);
    const { credential, secret } = await this.clients.addCredential(id, { kind: 'key', name, expiresAt }, author);
    return { client: await this.view(team.id, id), credentialId: credential.id, secret };
  }

  async rotateKey(id: string, keyId: string, input: RotationInput, { team, author }: Acting): Promise<OwnSecretMade> {
    await this.#own(team.id, id);
    const { credential, secret } = await this.clients.rotate(id, keyId, input, author);
    return { client: await this.view(team.id, id), credentialId: credential.id, secret };
  }

  async revoke(id: string, credentialId: string, { team, author }: Acting): Promise<OwnClient> {
    await this.#own(team.id, id);
    await this.clients.revoke(id, credentialId, author);
    return this.view(team.id, id);
  }

  async ask(id: string, { planId, reason }: PlanAsked, { team, author, session }: Acting): Promise<OwnClient> {
    await this.#own(team.id, id);
    if (!(await this.catalogue.findPlan(session, planId))) throw fieldProblem('/planId', 'There is no such plan');
    const own = await ClientRow.findAll({ attributes: ['id'], where: { teamId: team.id }, raw: true });
    const waiting = await SubscriptionRow.count({ where: { clientId: own.map((row) => row.id), state: 'waiting' } });
    if (waiting >= WAITING_OF_TEAM) throw problem(409, 'Many of your requests wait already', 'Ask again when the operator has looked at them.');
    await this.subscriptions.add({ clientId: id, planId, startsAt: null, endsAt: null, waits: true, reason }, author);
    return this.view(team.id, id);
  }

  /** Gives a plan back, or takes back what was asked. */
  async giveBack(id: string, subscriptionId: string, { team, author }: Acting): Promise<OwnClient> {
    await this.#own(team.id, id);
    const row = await SubscriptionRow.findOne({ where: { id: subscriptionId, clientId: id }, raw: true });
    if (!row) throw notFound('plan of the client');
    await this.subscriptions.change(subscriptionId, { state: 'ended' }, author);
    return this.view(team.id, id);
  }

  /** What it used. What only observing checks would have refused is the operator's business, and passed. */
  async use({ team, session }: Acting, id: string, days: UseDays): Promise<ClientUseView> {
    await this.#own(team.id, id);
    const use = await this.uses.view(id, days);
    const names = await Promise.all(use.apis.map(async ({ apiId }) => (apiId === null ? 'no API' : this.catalogue.nameOfApi(session, apiId))));
    return {
      ...use,
      reasons: byTitle(use.reasons),
      slices: use.slices.map((slice) => ({ ...slice, wouldRefuse: 0 })),
      apis: use.apis.map((api, index) => ({ ...api, apiId: names[index] === null ? `other ${index}` : api.apiId, apiName: names[index] ?? 'another API' })),
      untold: 0,
    };
  }

  /** How its own limits stand, of what the team may see. */
  async standing({ team, session }: Acting, id: string): Promise<ClientStanding> {
    await this.#own(team.id, id);
    const own = (await this.limits.ofClient(id)).items.filter(({ mode, by }) => mode === 'enforce' && OWN_LIMITS.has(by));
    const names = await Promise.all(own.map(async ({ apiId }) => (apiId === '' ? '' : this.catalogue.nameOfApi(session, apiId))));
    const nodes = [...new Set(own.map(({ node }) => node))];
    // Names of nodes, what they could not say, what only observes and what others use are the operator's.
    const items = own.flatMap((one, index) => {
      const rule = names[index];
      return typeof rule === 'string' ? [{ ...one, rule, node: nodes.length > 1 ? String(nodes.indexOf(one.node) + 1) : '' }] : [];
    });
    return { items, unknown: [], more: 0, silent: [] };
  }

  async #own(teamId: string, id: string): Promise<ClientRow> {
    const row = await ClientRow.findOne({ where: { id, teamId }, raw: true });
    if (!row) throw notFound('client');
    return row;
  }

  async #views(rows: readonly ClientRow[]): Promise<OwnClient[]> {
    const where = { clientId: rows.map(({ id }) => id) };
    const [credentials, subscriptions] = await Promise.all([
      CredentialRow.findAll({ where, order: [['madeAt', 'DESC']], raw: true }),
      SubscriptionRow.findAll({ where, order: [['askedAt', 'DESC']], raw: true }),
    ]);
    const registered = new Map(
      (await RegistrationRow.findAll({ where: { credentialId: credentials.map(({ id }) => id) }, raw: true })).map((row) => [row.credentialId, row]),
    );
    const now = Date.now();
    return rows.map(({ id, name, description, enabled, madeAt }) => ({
      id,
      name,
      description,
      enabled: Boolean(enabled),
      madeAt: Number(madeAt),
      credentials: credentials
        .filter((one) => one.clientId === id)
        .map((one) => ({
          id: one.id,
          kind: one.kind,
          name: one.name,
          hint: one.hint,
          state: stateOf(one, now),
          madeAt: Number(one.madeAt),
          madeBy: shownAuthor(one.madeBy),
          expiresAt: timeOf(one.expiresAt),
          lastUsedAt: timeOf(one.lastUsedAt),
          replaced: one.replacedBy !== null,
          leaked: one.leakedAt !== null,
          redirectUris: registered.has(one.id) ? (JSON.parse(registered.get(one.id)?.redirectUris ?? '[]') as string[]) : null,
        })),
      plans: subscriptions.filter((one) => one.clientId === id).map((one) => this.#plan(one, now)),
    }));
  }

  #plan(row: SubscriptionRow, now: number): OwnPlan {
    const { id, planId, reason, answer, askedBy } = row;
    const { name, says } = this.catalogue.planName(planId);
    const [startsAt, endsAt] = [timeOf(row.startsAt), timeOf(row.endsAt)];
    return {
      id,
      planId,
      planName: name,
      says,
      now: row.declined ? 'declined' : subscriptionNow(row.state, startsAt, endsAt, now),
      reason,
      answer,
      askedAt: Number(row.askedAt),
      askedBy: shownAuthor(askedBy),
      decidedAt: timeOf(row.decidedAt),
      startsAt,
      endsAt,
    };
  }
}

/** As people of a team read it: names of operators are not theirs. */
const shownAuthor = (by: string): string => (by.startsWith('portal: ') ? by.slice('portal: '.length) : 'the operator');

/** Refusals by what callers are told: which check it was is the operator's to know. */
function byTitle(reasons: ClientUseView['reasons']): ClientUseView['reasons'] {
  const told = new Map<string, ClientUseView['reasons'][number]>();
  for (const { title, outcome, count } of reasons)
    if (outcome === 'refused') told.set(title, { code: title, title, step: '', stepName: '', outcome, count: count + (told.get(title)?.count ?? 0) });
  return [...told.values()].sort((a, b) => b.count - a.count);
}
