import { Injectable } from '@nestjs/common';
import { canonicalJson, type DirectoryChange, type PlanRule } from '@virga/core';
import type { SubscriptionChanged, SubscriptionInput, SubscriptionPage, SubscriptionPatch, SubscriptionQuery, SubscriptionView } from '@virga/protocol';
import { createHash, randomBytes } from 'node:crypto';
import type { Transaction } from 'sequelize';
import { fieldProblem, notFound, problem } from '../../http/problems.js';
import { nameOfAuthor, refuseStranger, sideOf, type Author } from '../../session/author.js';
import { DirectoryFeed } from '../../nodes/directory-feed.js';
import { appendEdit, BEGINNING } from '../../store/change-log.js';
import { ClientRow } from '../../store/models/clients.js';
import { SubscriptionRow } from '../../store/models/subscriptions.js';
import { logPortal } from '../../store/portal-store.js';
import { Store } from '../../store/store.js';
import { clientsById, findSubscriptions, refusedBefore, subscriptionFact, timeOf } from '../../store/subscription-store.js';
import { DraftService } from '../releases/draft.service.js';
import { ReleasesService } from '../releases/releases.service.js';

const PAGE = 100;
/** Subscriptions of one client that have not ended. */
const MOST = 50;

const STATE_WORDS = { active: 'active', suspended: 'suspended', ended: 'ended', waiting: 'waiting' } as const;

/** Which clients have which plans. What changes here acts at once on every node, apart from any release. */
@Injectable()
export class SubscriptionsService {
  constructor(
    private readonly store: Store,
    private readonly feed: DirectoryFeed,
    private readonly draft: DraftService,
    private readonly releases: ReleasesService,
  ) {}

  async page({ clientId, planId, state, offset = 0, limit = PAGE }: SubscriptionQuery): Promise<SubscriptionPage> {
    const filter = { ...(clientId ? { clientId } : {}), ...(planId ? { planId } : {}), ...(state ? { state } : {}) };
    const { rows, total } = await findSubscriptions(filter, offset, limit);
    const clients = await clientsById(rows.map((row) => row.clientId));
    return { items: rows.map((row) => this.#view(row, clients.get(row.clientId))), total };
  }

  /** Gives a client a plan: it counts at once, or from its start, or once somebody approves. */
  async add({ clientId, planId, startsAt = null, endsAt = null, waits = false, reason = '' }: SubscriptionInput, by: Author): Promise<SubscriptionChanged> {
    const plan = this.#plan(planId);
    if (!plan) throw fieldProblem('/planId', 'There is no such plan');
    refuseTimes(startsAt, endsAt);
    const now = Date.now();
    return this.#edit(clientId, by, async (transaction) => {
      const waiting = waits && (plan.approval === 'by-hand' || (await wasRefused(by, planId, transaction)));
      const own = await SubscriptionRow.findAll({ where: { clientId }, raw: true, transaction });
      const running = own.filter((row) => row.state !== 'ended');
      if (running.some((row) => row.planId === planId)) throw problem(409, 'It has that plan already', 'Change the subscription that there is.');
      if (running.length >= MOST) throw problem(409, 'Too many plans', `A client has at most ${MOST} plans that have not ended.`);
      const facts = { id: randomBytes(8).toString('hex'), clientId, planId, state: waiting ? 'waiting' : 'active', startsAt, endsAt, reason };
      const decided = waiting ? { decidedAt: null, decidedBy: null } : { decidedAt: now, decidedBy: nameOfAuthor(by) };
      const row = await SubscriptionRow.create({ ...facts, ...decided, askedAt: now, askedBy: nameOfAuthor(by), answer: '', declined: false }, { transaction });
      return {
        row: row.get({ plain: true }) as SubscriptionRow,
        words: waiting ? `asked for the plan ${plan.name}` : `given the plan ${plan.name}`,
        decides: !waiting,
      };
    });
  }

  /** Approves, suspends, ends or moves one. What has ended stays so: a new one is made instead. */
  async change(id: string, patch: SubscriptionPatch, by: Author): Promise<SubscriptionChanged> {
    const before = await SubscriptionRow.findByPk(id, { raw: true });
    if (!before) throw notFound('subscription');
    return this.#edit(before.clientId, by, async (transaction) => {
      const row = await SubscriptionRow.findByPk(id, { transaction });
      if (!row) throw notFound('subscription');
      if (row.state === 'ended') throw problem(409, 'It has ended', 'Give the client the plan anew.');
      // What an operator decided is not undone from the portal, whichever of two comes first.
      if (row.state === 'suspended' && typeof by !== 'string') throw problem(409, 'The operator suspended it', 'Ask the operator.');
      const next = {
        state: patch.state ?? row.state,
        startsAt: patch.startsAt === undefined ? timeOf(row.startsAt) : patch.startsAt,
        endsAt: patch.endsAt === undefined ? timeOf(row.endsAt) : patch.endsAt,
      };
      refuseTimes(next.startsAt, next.endsAt);
      const decided = patch.state === undefined || patch.state === row.state ? {} : { decidedAt: Date.now(), decidedBy: nameOfAuthor(by) };
      // When something was ended by hand is its end.
      const ended = next.state === 'ended' && (next.endsAt === null || next.endsAt > Date.now()) ? { endsAt: Date.now() } : {};
      const said = patch.answer === undefined ? {} : { answer: patch.answer };
      // Who takes back what they asked for was not refused it.
      const declined = row.state === 'waiting' && next.state === 'ended' && typeof by === 'string';
      await row.update({ ...next, ...ended, ...decided, ...said, ...(declined ? { declined } : {}) }, { transaction });
      const plan = this.#planName(row.planId) ?? row.planId;
      const words =
        patch.state === undefined ? `the times of its plan ${plan} changed` : `its plan ${plan} is ${declined ? 'declined' : STATE_WORDS[next.state]}`;
      return { row: row.get({ plain: true }) as SubscriptionRow, words, decides: true };
    });
  }

  async #edit(
    clientId: string,
    by: Author,
    make: (transaction: Transaction) => Promise<{ row: SubscriptionRow; words: string; decides: boolean }>,
  ): Promise<SubscriptionChanged> {
    const done = await this.store.write(async (transaction) => {
      const client = await ClientRow.findByPk(clientId, { raw: true, transaction });
      if (!client) throw fieldProblem('/clientId', 'There is no such client');
      refuseStranger(by, 'client', client);
      const before = await hashOf(clientId, transaction);
      const { row, words, decides } = await make(transaction);
      if (client.teamId !== null)
        await logPortal({ by: nameOfAuthor(by), side: sideOf(by), teamId: client.teamId, decides, words: `${client.name}: ${words}` }, transaction);
      const changes: DirectoryChange[] = [{ what: 'subscription', id: row.id, value: subscriptionFact(row) }];
      const after = await hashOf(clientId, transaction);
      if (before !== after)
        await appendEdit(
          { at: Date.now(), by: nameOfAuthor(by), words: [`${client.name}: ${words}`], before, after, changes, takesBack: null, clientId },
          transaction,
        );
      return { client, row, changes };
    });
    const effect = await this.feed.tell(done.changes);
    return { subscription: this.#view(done.row, done.client), effect };
  }

  #plan(id: string): PlanRule | undefined {
    return [...this.draft.document.plans, ...(this.releases.live?.document.plans ?? [])].find((plan) => plan.id === id);
  }

  #planName(id: string): string | null {
    return this.#plan(id)?.name ?? null;
  }

  #view(row: SubscriptionRow, client: ClientRow | undefined): SubscriptionView {
    const { id, clientId, planId, state, reason, answer, askedBy, decidedBy } = row;
    const [startsAt, endsAt] = [timeOf(row.startsAt), timeOf(row.endsAt)];
    return {
      id,
      clientId,
      clientName: client?.name ?? 'a client that is gone',
      owner: client?.owner ?? '',
      planId,
      planName: this.#planName(planId) ?? 'a plan that is gone',
      state,
      now: subscriptionNow(state, startsAt, endsAt, Date.now()),
      startsAt,
      endsAt,
      reason,
      answer,
      declined: Boolean(row.declined),
      askedAt: Number(row.askedAt),
      askedBy,
      decidedAt: timeOf(row.decidedAt),
      decidedBy,
    };
  }
}

/** How a subscription stands at a moment, as the gateway sees it. */
export function subscriptionNow(state: SubscriptionView['state'], startsAt: number | null, endsAt: number | null, nowMs: number): SubscriptionView['now'] {
  if (state !== 'active') return state;
  if (endsAt !== null && nowMs >= endsAt) return 'ended';
  return startsAt !== null && nowMs < startsAt ? 'not-yet' : 'active';
}

function refuseTimes(startsAt: number | null, endsAt: number | null): void {
  if (startsAt !== null && endsAt !== null && endsAt <= startsAt) throw fieldProblem('/endsAt', 'It ends before it begins');
}

/** Whether an operator took a plan from a client of the author's team before: then it is approved by hand, whatever it says. */
async function wasRefused(by: Author, planId: string, transaction: Transaction): Promise<boolean> {
  if (typeof by === 'string') return false;
  const clients = await ClientRow.findAll({ attributes: ['id'], where: { teamId: by.teamId }, raw: true, transaction });
  const ids = clients.map(({ id }) => id);
  return (await refusedBefore(ids, planId, transaction)).length > 0;
}

async function hashOf(clientId: string, transaction: Transaction): Promise<string> {
  const rows = await SubscriptionRow.findAll({ where: { clientId }, order: [['id', 'ASC']], raw: true, transaction });
  if (rows.length === 0) return BEGINNING;
  return createHash('sha256')
    .update(canonicalJson(rows.map(subscriptionFact)))
    .digest('hex');
}
