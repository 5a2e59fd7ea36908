import { Injectable } from '@nestjs/common';
import type {
  InvitationMade,
  NewInvitation,
  OpenInvitation,
  PortalAccount,
  PortalAccounts,
  PortalTeam,
  PortalTeamSummary,
  PortalTeams,
  TeamMember,
  TeamRole,
} from '@virga/protocol';
import { randomBytes } from 'node:crypto';
import { Op, type Transaction, type WhereOptions } from 'sequelize';
import { DraftService } from '../control/releases/draft.service.js';
import { notFound, problem } from '../http/problems.js';
import { nameOfAuthor, sideOf, type Author } from '../session/author.js';
import { ClientRow } from '../store/models/clients.js';
import { AccountRow, InvitationRow, MemberRow, PortalSessionRow, TeamRow } from '../store/models/portal.js';
import { clientCounts, logPortal, memberCounts, teamNames } from '../store/portal-store.js';
import { Store } from '../store/store.js';
import { makeTeam, newId, sha256 } from './accounts.service.js';
import { PortalSettingsService } from './portal-settings.service.js';

const INVITATION_MS = 7 * 86_400_000;
const OPEN_INVITATIONS = 50;
const PAGE = 100;

/** Teams, who is of them, and invitations: for their owners and for the operator. */
@Injectable()
export class TeamsService {
  constructor(
    private readonly store: Store,
    private readonly settings: PortalSettingsService,
    private readonly draft: DraftService,
  ) {}

  async list(text: string, offset: number, limit = PAGE): Promise<PortalTeams> {
    const where: WhereOptions = text === '' ? {} : { name: { [Op.substring]: text } };
    const [rows, total, members, clients] = await Promise.all([
      TeamRow.findAll({
        where,
        order: [
          ['name', 'ASC'],
          ['id', 'ASC'],
        ],
        offset,
        limit,
        raw: true,
      }),
      TeamRow.count({ where }),
      memberCounts(),
      clientCounts(),
    ]);
    return { items: rows.map((row) => summaryOf(row, members, clients)), total };
  }

  async view(id: string): Promise<PortalTeam> {
    const team = await TeamRow.findByPk(id, { raw: true });
    if (!team) throw notFound('team');
    const [people, invitations, programs] = await Promise.all([
      this.members(id),
      this.invitations(id),
      ClientRow.findAll({ attributes: ['id', 'name'], where: { teamId: id }, order: [['name', 'ASC']], raw: true }),
    ]);
    const own = { id, name: team.name, madeAt: Number(team.madeAt), members: people.length, clients: programs.length };
    return { ...own, people, invitations, programs: programs.map(({ id: clientId, name }) => ({ id: clientId, name })) };
  }

  async members(teamId: string): Promise<TeamMember[]> {
    const members = await MemberRow.findAll({ where: { teamId }, order: [['since', 'ASC']], raw: true });
    const accounts = new Map((await AccountRow.findAll({ where: { id: members.map(({ accountId }) => accountId) }, raw: true })).map((row) => [row.id, row]));
    return members.flatMap(({ accountId, role, since }) => {
      const account = accounts.get(accountId);
      return account ? [{ accountId, name: account.name, shownName: account.shownName, role, state: account.state, since: Number(since) }] : [];
    });
  }

  async invitations(teamId: string): Promise<OpenInvitation[]> {
    const where = { teamId, usedAt: null, expiresAt: { [Op.gt]: Date.now() } } as WhereOptions;
    const rows = await InvitationRow.findAll({ where, order: [['madeAt', 'DESC']], limit: OPEN_INVITATIONS, raw: true });
    return rows.map(invitationView);
  }

  async add(name: string, ownerId: string | null, by: string): Promise<PortalTeam> {
    const team = await this.store.write(async (transaction) => {
      const made = await makeTeam(name, ownerId, by, transaction);
      await logPortal({ by, side: ownerId === null ? 'operator' : 'consumer', teamId: made.id, words: `the team ${name} made` }, transaction);
      return made;
    });
    return this.view(team.id);
  }

  /** Takes a team away that has no client; its people stay, without it. */
  async remove(id: string, by: string): Promise<void> {
    await this.store.write(async (transaction) => {
      const team = await TeamRow.findByPk(id, { raw: true, transaction });
      if (!team) throw notFound('team');
      const clients = await ClientRow.count({ where: { teamId: id }, transaction });
      if (clients > 0) throw problem(409, 'It has clients', `${clients} clients belong to ${team.name}. Take them away, or give them to another team first.`);
      await TeamRow.destroy({ where: { id }, transaction });
      await logPortal({ by, side: 'operator', teamId: null, decides: true, words: `the team ${team.name} taken away` }, transaction);
    });
  }

  async invite(teamId: string, { role, note = '' }: NewInvitation, by: Author): Promise<InvitationMade> {
    return this.store.write(async (transaction) => {
      if (!(await TeamRow.findByPk(teamId, { attributes: ['id'], transaction }))) throw notFound('team');
      const open = await InvitationRow.count({ where: { teamId, usedAt: null, expiresAt: { [Op.gt]: Date.now() } } as WhereOptions, transaction });
      if (open >= OPEN_INVITATIONS) throw problem(409, 'Too many invitations', `At most ${OPEN_INVITATIONS} are open at one time. Withdraw some.`);
      const words = `invited somebody as ${role}${note === '' ? '' : `: ${note}`}`;
      await logPortal({ by: nameOfAuthor(by), side: sideOf(by), teamId, words }, transaction);
      return this.#link({ teamId, accountId: null, role, note }, nameOfAuthor(by), transaction);
    });
  }

  /** A link by which the password of an account is chosen anew. */
  async resetPassword(accountId: string, by: string): Promise<InvitationMade> {
    return this.store.write(async (transaction) => {
      const account = await AccountRow.findByPk(accountId, { raw: true, transaction });
      if (!account) throw notFound('account');
      if (account.signInName === null) throw problem(409, 'It has no password here', 'It signs in at its provider.');
      await InvitationRow.destroy({ where: { accountId, usedAt: null }, transaction });
      await logPortal({ by, side: 'operator', teamId: null, decides: true, words: `a link made for ${account.name} to choose a password anew` }, transaction);
      return this.#link({ teamId: null, accountId, role: 'member', note: account.name }, by, transaction);
    });
  }

  async #link(of: Pick<InvitationRow, 'teamId' | 'accountId' | 'role' | 'note'>, by: string, transaction: Transaction): Promise<InvitationMade> {
    const token = randomBytes(24).toString('base64url');
    const now = Date.now();
    const facts = { teamId: of.teamId, accountId: of.accountId, role: of.role, note: of.note, madeBy: by, madeAt: now, expiresAt: now + INVITATION_MS };
    const row = await InvitationRow.create({ id: newId(), tokenHash: sha256(token), ...facts, usedAt: null, usedBy: null }, { transaction });
    // In the fragment, which no server and no log on the way sees.
    return { invitation: invitationView(row), link: `${this.settings.url}/invitation#${token}` };
  }

  async withdraw(teamId: string, id: string, by: Author): Promise<void> {
    await this.store.write(async (transaction) => {
      const row = await InvitationRow.findOne({ where: { id, teamId, usedAt: null }, raw: true, transaction });
      if (!row) throw notFound('invitation');
      await InvitationRow.destroy({ where: { id }, transaction });
      await logPortal({ by: nameOfAuthor(by), side: sideOf(by), teamId, words: 'an invitation withdrawn' }, transaction);
    });
  }

  async setRole(teamId: string, accountId: string, role: TeamRole, by: Author): Promise<void> {
    await this.store.write(async (transaction) => {
      const row = await MemberRow.findOne({ where: { teamId, accountId }, transaction });
      if (!row) throw notFound('member');
      if (row.role === 'owner' && role !== 'owner') await refuseLastOwner(teamId, transaction);
      await row.update({ role }, { transaction });
      const account = await AccountRow.findByPk(accountId, { raw: true, transaction });
      await logPortal({ by: nameOfAuthor(by), side: sideOf(by), teamId, decides: true, words: `${account?.name ?? accountId} is ${role}` }, transaction);
    });
  }

  async takeOut(teamId: string, accountId: string, by: Author): Promise<void> {
    await this.store.write(async (transaction) => {
      const row = await MemberRow.findOne({ where: { teamId, accountId }, transaction });
      if (!row) throw notFound('member');
      if (row.role === 'owner' && typeof by !== 'string') await refuseLastOwner(teamId, transaction);
      await row.destroy({ transaction });
      const account = await AccountRow.findByPk(accountId, { raw: true, transaction });
      await logPortal(
        { by: nameOfAuthor(by), side: sideOf(by), teamId, decides: true, words: `${account?.name ?? accountId} taken out of the team` },
        transaction,
      );
    });
  }

  async accounts(text: string, offset: number, limit = PAGE): Promise<PortalAccounts> {
    const part = { [Op.substring]: text };
    const where: WhereOptions = text === '' ? {} : { [Op.or]: [{ name: part }, { shownName: part }, { id: text }] };
    const [rows, total] = await Promise.all([
      AccountRow.findAll({
        where,
        order: [
          ['madeAt', 'DESC'],
          ['id', 'ASC'],
        ],
        offset,
        limit,
        raw: true,
      }),
      AccountRow.count({ where }),
    ]);
    return { items: await this.#accounts(rows), total };
  }

  async waiting(): Promise<PortalAccount[]> {
    return this.#accounts(await AccountRow.findAll({ where: { state: 'waiting' }, order: [['madeAt', 'ASC']], limit: 500, raw: true }));
  }

  /** Approves or switches off an account; acts at once, on its sessions too. */
  async setState(id: string, state: 'active' | 'off', by: string): Promise<PortalAccount> {
    const row = await this.store.write(async (transaction) => {
      const account = await AccountRow.findByPk(id, { transaction });
      if (!account) throw notFound('account');
      const words = `${account.name}: ${state === 'off' ? (account.state === 'waiting' ? 'declined' : 'switched off') : account.state === 'waiting' ? 'approved' : 'switched on'}`;
      if (account.state !== state) await logPortal({ by, side: 'operator', teamId: null, decides: true, words }, transaction);
      await account.update({ state, decidedAt: Date.now(), decidedBy: by }, { transaction });
      if (state === 'off') await PortalSessionRow.destroy({ where: { accountId: id }, transaction });
      return account.get({ plain: true }) as AccountRow;
    });
    const [view] = await this.#accounts([row]);
    if (!view) throw notFound('account');
    return view;
  }

  async #accounts(rows: readonly AccountRow[]): Promise<PortalAccount[]> {
    const members = await MemberRow.findAll({ where: { accountId: rows.map(({ id }) => id) }, raw: true });
    const names = await teamNames(members.map(({ teamId }) => teamId));
    return rows.map((row) => {
      const { id, name, shownName, state, how, reason, issuer, decidedBy } = row;
      const timeOf = (value: number | null): number | null => (value === null ? null : Number(value));
      return {
        id,
        name,
        shownName,
        state,
        how,
        provider: issuer === null ? '' : (this.draft.document.providers.find((one) => one.issuer === issuer)?.name ?? issuer),
        reason,
        teams: members.filter(({ accountId }) => accountId === id).map(({ teamId }) => names.get(teamId) ?? ''),
        madeAt: Number(row.madeAt),
        lastSignInAt: timeOf(row.lastSignInAt),
        decidedAt: timeOf(row.decidedAt),
        decidedBy,
      };
    });
  }
}

/** A team that nobody leads could let nobody in any more. @throws HttpException 409 */
async function refuseLastOwner(teamId: string, transaction: Transaction): Promise<void> {
  if ((await MemberRow.count({ where: { teamId, role: 'owner' }, transaction })) <= 1)
    throw problem(409, 'It is the only owner', 'Make somebody else an owner first.');
}

function summaryOf({ id, name, madeAt }: TeamRow, members: ReadonlyMap<string, number>, clients: ReadonlyMap<string, number>): PortalTeamSummary {
  return { id, name, members: members.get(id) ?? 0, clients: clients.get(id) ?? 0, madeAt: Number(madeAt) };
}

function invitationView({ id, role, note, madeAt, madeBy, expiresAt }: InvitationRow): OpenInvitation {
  return { id, role, note, madeAt: Number(madeAt), madeBy, expiresAt: Number(expiresAt) };
}
