import { Injectable } from '@nestjs/common';
import type { InvitationAccount, InvitationView, NewPasswordInput, PortalSession, RegistrationInput } from '@virga/protocol';
import { createHash, randomBytes } from 'node:crypto';
import { Op, type Transaction } from 'sequelize';
import { fieldProblem, notFound, problem } from '../http/problems.js';
import { checkPassword, hashPassword } from '../session/passwords.js';
import { ClientRow } from '../store/models/clients.js';
import { AccountRow, InvitationRow, MemberRow, PortalSessionRow, TeamRow } from '../store/models/portal.js';
import { logPortal, teamNames } from '../store/portal-store.js';
import { Store } from '../store/store.js';
import { PortalSettingsService } from './portal-settings.service.js';

const LIFE_MS = 12 * 3_600_000;
const LOOK_MS = 3_600_000;
/** Accounts that wait for approval at one time: more are refused until the operator looks. */
const MOST_WAITING = 500;
const TEAMS_OF_ONE = 20;
const MEMBERS = 200;

export const sha256 = (text: string): string => createHash('sha256').update(text).digest('base64url');
export const newId = (): string => randomBytes(8).toString('hex');

/** A name as it is compared: two that look the same to most readers are one (Unicode NFKC). */
export const comparedName = (name: string): string => name.normalize('NFKC').toLowerCase();

export interface SignedIn {
  readonly id: string;
  readonly expiresAt: number;
}

/** Somebody who signed in at a provider, by what the provider vouches for. */
export interface Vouched {
  readonly issuer: string;
  readonly subject: string;
  readonly shownName: string;
}

/** People of the portal: accounts, sessions, how one comes in. */
@Injectable()
export class AccountsService {
  constructor(
    private readonly store: Store,
    private readonly settings: PortalSettingsService,
  ) {}

  /** @returns null for a wrong name or password, which take the same time */
  async signIn(name: string, password: string): Promise<SignedIn | null> {
    const account = await AccountRow.findOne({ where: { signInName: comparedName(name) }, raw: true });
    const right = await checkPassword(password, account?.password ?? null);
    return !account || !right || account.state === 'off' ? null : this.#open(account.id);
  }

  async #open(accountId: string): Promise<SignedIn> {
    return this.store.write((transaction) => this.#session(accountId, transaction));
  }

  async #session(accountId: string, transaction: Transaction): Promise<SignedIn> {
    const now = Date.now();
    await PortalSessionRow.destroy({ where: { expiresAt: { [Op.lt]: now } }, transaction });
    await AccountRow.update({ lastSignInAt: now }, { where: { id: accountId }, transaction });
    const id = randomBytes(32).toString('base64url');
    const facts = { accountId, teamId: null, looks: false, csrfToken: randomBytes(24).toString('base64url'), expiresAt: now + LIFE_MS };
    await PortalSessionRow.create({ idHash: sha256(id), ...facts }, { transaction });
    return { id, expiresAt: facts.expiresAt };
  }

  /** The session of a secret id; null for none, one that is over, or one whose account is off, gone, or of a provider that is closed to the portal. */
  async find(id: string): Promise<PortalSession | null> {
    const row = await PortalSessionRow.findByPk(sha256(id), { raw: true });
    // An end that cannot be read is over.
    if (!row || !(Number(row.expiresAt) > Date.now())) return null;
    const { csrfToken } = row;
    const expiresAt = Number(row.expiresAt);
    if (row.looks) {
      const name = row.teamId === null ? null : ((await teamNames([row.teamId])).get(row.teamId) ?? null);
      const teams = row.teamId === null || name === null ? [] : [{ id: row.teamId, name, role: 'owner' as const }];
      return { accountId: '', name: '', shownName: name ?? 'somebody', state: 'active', hasPassword: false, teams, looks: true, csrfToken, expiresAt };
    }
    const account = row.accountId === null ? null : await AccountRow.findByPk(row.accountId, { raw: true });
    if (!account || (account.state !== 'active' && account.state !== 'waiting')) return null;
    if (account.issuer !== null && !(await this.settings.isOpenTo(account.issuer))) return null;
    const members = account.state === 'active' ? await MemberRow.findAll({ where: { accountId: account.id }, order: [['since', 'ASC']], raw: true }) : [];
    const names = await teamNames(members.map(({ teamId }) => teamId));
    return {
      accountId: account.id,
      name: account.name,
      shownName: account.shownName,
      state: account.state,
      hasPassword: account.password !== null,
      teams: members.map(({ teamId, role }) => ({ id: teamId, name: names.get(teamId) ?? '', role })),
      looks: false,
      csrfToken,
      expiresAt,
    };
  }

  async signOut(id: string): Promise<void> {
    await this.store.write((transaction) => PortalSessionRow.destroy({ where: { idHash: sha256(id) }, transaction }));
  }

  /** An account that nobody was invited to, with a team of its own. It waits where the operator approves each. */
  async register({ name, shownName, password, team, reason = '' }: RegistrationInput): Promise<SignedIn> {
    const hash = await hashPassword(password);
    return this.store.write(async (transaction) => {
      const state = await this.#admitted(transaction);
      await refuseTaken(name, transaction);
      const own = { signInName: comparedName(name), name, shownName, password: hash, issuer: null, subject: null };
      const account = await makeAccount({ ...own, state, how: 'registered', reason }, transaction);
      await makeTeam(team, account.id, `portal: ${shownName}`, transaction);
      await logPortal(
        { by: `portal: ${shownName}`, side: 'consumer', teamId: null, words: `${name} made an account${state === 'waiting' ? ' and waits' : ''}` },
        transaction,
      );
      return this.#session(account.id, transaction);
    });
  }

  /** How a new account that nobody invited begins. @throws HttpException 403 where there are none */
  async #admitted(transaction: Transaction): Promise<'waiting' | 'active'> {
    const { registration } = await this.settings.read(transaction);
    if (registration === 'by-itself') return 'active';
    if (registration !== 'by-hand') throw problem(403, 'One has to be invited here', 'Ask the operator, or somebody of your team, for an invitation.');
    if ((await AccountRow.count({ where: { state: 'waiting' }, transaction })) >= MOST_WAITING)
      throw problem(503, 'Too many wait already', 'Try again when the operator has looked at them.');
    return 'waiting';
  }

  async readInvitation(token: string): Promise<InvitationView> {
    const row = await usable(token);
    const [team, account] = await Promise.all([
      row.teamId === null ? null : TeamRow.findByPk(row.teamId, { raw: true }),
      row.accountId === null ? null : AccountRow.findByPk(row.accountId, { raw: true }),
    ]);
    return { kind: row.accountId === null ? 'join' : 'password', name: team?.name ?? account?.name ?? '', role: row.role, expiresAt: Number(row.expiresAt) };
  }

  /** Takes an invitation with an account that is made for it. */
  async acceptAnew({ token, name, shownName, password }: InvitationAccount): Promise<SignedIn> {
    const hash = await hashPassword(password);
    return this.store.write(async (transaction) => {
      const row = await usable(token, transaction);
      if (row.teamId === null) throw notFound('invitation');
      await refuseTaken(name, transaction);
      const own = { signInName: comparedName(name), name, shownName, password: hash, issuer: null, subject: null };
      const account = await makeAccount({ ...own, state: 'active', how: 'invited', reason: '' }, transaction);
      await this.#join(row, row.teamId, account, transaction);
      return this.#session(account.id, transaction);
    });
  }

  /** Takes an invitation with the account that is signed in. Whoever was invited has been approved. */
  async accept(token: string, accountId: string): Promise<void> {
    await this.store.write(async (transaction) => {
      const row = await usable(token, transaction);
      const account = await AccountRow.findByPk(accountId, { transaction });
      if (row.teamId === null || !account || account.state === 'off') throw notFound('invitation');
      await this.#join(row, row.teamId, account, transaction);
    });
  }

  async #join(row: InvitationRow, teamId: string, account: AccountRow, transaction: Transaction): Promise<void> {
    const now = Date.now();
    const [taken] = await InvitationRow.update({ usedAt: now, usedBy: account.name }, { where: { id: row.id, usedAt: null }, transaction });
    if (taken !== 1) throw gone();
    if (await MemberRow.findOne({ where: { teamId, accountId: account.id }, transaction })) throw problem(409, 'You are of this team already');
    if ((await MemberRow.count({ where: { accountId: account.id }, transaction })) >= TEAMS_OF_ONE)
      throw problem(409, 'Too many teams', `One is of at most ${TEAMS_OF_ONE} teams.`);
    if ((await MemberRow.count({ where: { teamId }, transaction })) >= MEMBERS) throw problem(409, 'The team is full', `A team has at most ${MEMBERS} people.`);
    await MemberRow.create({ teamId, accountId: account.id, role: row.role, since: now }, { transaction });
    if (account.state === 'waiting') await account.update({ state: 'active', decidedAt: now, decidedBy: row.madeBy }, { transaction });
    await logPortal(
      { by: `portal: ${account.shownName}`, side: 'consumer', teamId, words: `${account.name} joined as ${row.role}, invited by ${row.madeBy}` },
      transaction,
    );
  }

  /** Chooses a password anew by a link. Every session of the account ends. */
  async choosePassword({ token, password }: NewPasswordInput): Promise<SignedIn> {
    const hash = await hashPassword(password);
    return this.store.write(async (transaction) => {
      const row = await usable(token, transaction);
      const account = row.accountId === null ? null : await AccountRow.findByPk(row.accountId, { transaction });
      if (!account || account.state === 'off') throw notFound('invitation');
      const [taken] = await InvitationRow.update({ usedAt: Date.now(), usedBy: account.name }, { where: { id: row.id, usedAt: null }, transaction });
      if (taken !== 1) throw gone();
      await account.update({ password: hash }, { transaction });
      await PortalSessionRow.destroy({ where: { accountId: account.id }, transaction });
      await logPortal(
        { by: `portal: ${account.shownName}`, side: 'consumer', teamId: null, words: `${account.name} chose a password anew, by a link of ${row.madeBy}` },
        transaction,
      );
      return this.#session(account.id, transaction);
    });
  }

  /** Somebody whom a provider vouches for: known by issuer and subject alone, never by a name or an address. */
  async signInBy({ issuer, subject, shownName }: Vouched, invitation: string | null): Promise<SignedIn> {
    return this.store.write(async (transaction) => {
      let account = await AccountRow.findOne({ where: { issuer, subject }, transaction });
      if (account?.state === 'off') throw problem(403, 'This account is switched off', 'Ask the operator.');
      if (!account) {
        const state = invitation === null ? await this.#admitted(transaction) : 'active';
        const own = { signInName: null, name: shownName, shownName, password: null, issuer, subject };
        account = await makeAccount({ ...own, state, how: invitation === null ? 'provider' : 'invited', reason: '' }, transaction);
        await logPortal(
          { by: `portal: ${shownName}`, side: 'consumer', teamId: null, words: `${shownName} came by ${issuer}${state === 'waiting' ? ' and waits' : ''}` },
          transaction,
        );
      }
      if (invitation !== null) {
        const row = await usable(invitation, transaction);
        if (row.teamId === null) throw notFound('invitation');
        await this.#join(row, row.teamId, account, transaction);
      }
      return this.#session(account.id, transaction);
    });
  }

  async changeOwn(accountId: string, change: { shownName?: string; oldPassword?: string; password?: string }, keepSession: string): Promise<void> {
    const account = await AccountRow.findByPk(accountId, { raw: true });
    if (!account) throw notFound('account');
    if (change.password !== undefined && account.signInName === null) throw fieldProblem('/password', 'This account signs in at its provider');
    if (change.password !== undefined && !(await checkPassword(change.oldPassword ?? '', account.password)))
      throw fieldProblem('/oldPassword', 'That is not the password');
    const hash = change.password === undefined ? null : await hashPassword(change.password);
    await this.store.write(async (transaction) => {
      const given = { ...(change.shownName === undefined ? {} : { shownName: change.shownName }), ...(hash === null ? {} : { password: hash }) };
      await AccountRow.update(given, { where: { id: accountId }, transaction });
      // Whoever knew the old one is out.
      if (hash !== null) await PortalSessionRow.destroy({ where: { accountId, idHash: { [Op.ne]: sha256(keepSession) } }, transaction });
    });
  }

  /** Takes one's own account away. @throws HttpException 422 for a wrong password */
  async removeOwn(accountId: string, password: string): Promise<void> {
    const account = await AccountRow.findByPk(accountId, { raw: true });
    if (account?.password && !(await checkPassword(password, account.password))) throw fieldProblem('/password', 'That is not the password');
    await this.remove(accountId, null);
  }

  /**
   * Takes an account away for good, with its sessions, memberships and links, and with teams of nobody else that have no client. What
   * was done with it stays in the log, and its teams keep what is theirs.
   * @param by the operator; null for whose account it is
   * @throws HttpException 409 for the only owner of a team that others or clients belong to, unless an operator does it
   */
  async remove(accountId: string, by: string | null): Promise<void> {
    await this.store.write(async (transaction) => {
      const account = await AccountRow.findByPk(accountId, { raw: true, transaction });
      if (!account) throw notFound('account');
      const owned = await MemberRow.findAll({ where: { accountId, role: 'owner' }, raw: true, transaction });
      for (const { teamId } of owned) {
        if ((await MemberRow.count({ where: { teamId, role: 'owner' }, transaction })) > 1) continue;
        const others = await MemberRow.count({ where: { teamId, accountId: { [Op.ne]: accountId } }, transaction });
        const clients = await ClientRow.count({ where: { teamId }, transaction });
        if (others + clients === 0) await TeamRow.destroy({ where: { id: teamId }, transaction });
        else if (by === null) throw problem(409, 'A team would have no owner', await leftBehind(teamId, others, transaction));
      }
      const where = { accountId };
      await PortalSessionRow.destroy({ where, transaction });
      await InvitationRow.destroy({ where, transaction });
      await MemberRow.destroy({ where, transaction });
      await AccountRow.destroy({ where: { id: accountId }, transaction });
      const said = { by: by ?? `portal: ${account.shownName}`, side: by === null ? ('consumer' as const) : ('operator' as const) };
      await logPortal({ ...said, teamId: null, decides: by !== null, words: `the account ${account.name} taken away` }, transaction);
    });
  }

  /** A session in which an operator looks and changes nothing. @param teamId null for somebody who is not signed in */
  async openLook(teamId: string | null): Promise<SignedIn> {
    const id = randomBytes(32).toString('base64url');
    const expiresAt = Date.now() + LOOK_MS;
    const facts = { accountId: null, teamId, looks: true, csrfToken: randomBytes(24).toString('base64url'), expiresAt };
    await this.store.write((transaction) => PortalSessionRow.create({ idHash: sha256(id), ...facts }, { transaction }));
    return { id, expiresAt };
  }
}

const gone = () => problem(410, 'This link is not good any more', 'It was used, withdrawn or is too old. Ask for a new one.');

/** What one has to do about a team before one can leave it behind. */
async function leftBehind(teamId: string, others: number, transaction: Transaction): Promise<string> {
  const name = (await TeamRow.findByPk(teamId, { raw: true, transaction }))?.name ?? teamId;
  return others > 0
    ? `You are the only owner of ${name}: make somebody else an owner first.`
    : `${name} has clients and nobody but you: take them away, or invite somebody as an owner first.`;
}

/** An invitation that can still be taken. Wrong, used, withdrawn and old ones get the same answer. */
async function usable(token: string, transaction?: Transaction): Promise<InvitationRow> {
  const row = await InvitationRow.findOne({ where: { tokenHash: sha256(token) }, raw: true, ...(transaction ? { transaction } : {}) });
  if (!row || row.usedAt !== null || !(Number(row.expiresAt) > Date.now())) throw gone();
  return row;
}

async function refuseTaken(name: string, transaction: Transaction): Promise<void> {
  if (await AccountRow.findOne({ attributes: ['id'], where: { signInName: comparedName(name) }, transaction }))
    throw fieldProblem('/name', 'Somebody has that name already');
}

type AccountFacts = Pick<AccountRow, 'signInName' | 'name' | 'shownName' | 'password' | 'issuer' | 'subject' | 'state' | 'how' | 'reason'>;

async function makeAccount(facts: AccountFacts, transaction: Transaction): Promise<AccountRow> {
  const { signInName, name, shownName, password, issuer, subject, state, how, reason } = facts;
  const own = { signInName, name, shownName, password, issuer, subject, state, how, reason };
  return AccountRow.create({ id: newId(), ...own, madeAt: Date.now(), decidedAt: null, decidedBy: null, lastSignInAt: null }, { transaction });
}

/** A team with one owner. @throws HttpException 409 for a name that another team has */
export async function makeTeam(name: string, ownerId: string | null, by: string, transaction: Transaction): Promise<TeamRow> {
  const all = await TeamRow.findAll({ attributes: ['name'], raw: true, transaction });
  if (all.some((team) => comparedName(team.name) === comparedName(name)))
    throw fieldProblem('/team', 'There is a team of this name already; somebody of it can invite you');
  const team = await TeamRow.create({ id: newId(), name, madeAt: Date.now(), madeBy: by }, { transaction });
  if (ownerId !== null) await MemberRow.create({ teamId: team.id, accountId: ownerId, role: 'owner', since: Date.now() }, { transaction });
  return team;
}
