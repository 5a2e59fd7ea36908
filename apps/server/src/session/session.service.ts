import { Inject, Injectable } from '@nestjs/common';
import { createHash, createHmac, randomBytes, timingSafeEqual } from 'node:crypto';
import { Op } from 'sequelize';
import { SETTINGS, type ServerSettings } from '../config/settings.js';
import { OperatorRow, SessionRow } from '../store/models/configuration.js';
import { storageProblem, Store } from '../store/store.js';
import { checkPassword, hashPassword } from './passwords.js';
import { SignInBudget } from './sign-in-budget.js';

export const SESSION_COOKIE = 'virga_session';
export const BROWSER_COOKIE = 'virga_browser';
export const BROWSER_MS = 180 * 86_400_000;
/** NIST SP 800-63B section 5.1.1.1, from memory. */
const LEAST_PASSWORD = 8;
const LIFE_MS = 12 * 3_600_000;
/** Passwords checked at one time: each takes a while of a core, by design. */
const CHECKS_AT_ONCE = 4;
const BUSY_MS = 1000;
const MAX_UNWRITTEN = 100;
const OPERATOR = 'operator';

export interface Session {
  readonly name: string;
  readonly csrfToken: string;
  readonly expiresAt: number;
}

/** Who may use the control API: the control token, or an operator who signed in. */
@Injectable()
export class SessionService {
  readonly #store: Store;
  readonly #settings: ServerSettings;
  readonly #budget = new SignInBudget();
  /** Sessions that could not be written, as on a full disk; they last as long as this process. */
  readonly #unwritten = new Map<string, Session>();
  #checking = 0;

  constructor(store: Store, @Inject(SETTINGS) settings: ServerSettings) {
    this.#store = store;
    this.#settings = settings;
  }

  /**
   * Makes the operator's account at the first start.
   * @returns the password when it was made just now
   * @throws Error for a chosen one that anybody would guess
   */
  async ensureOperator(chosen: string | undefined): Promise<{ name: string; password: string } | null> {
    if ((await OperatorRow.count()) > 0) return null;
    if (chosen !== undefined && chosen.trim().length < LEAST_PASSWORD)
      throw new Error(`VIRGA_OPERATOR_PASSWORD has at least ${LEAST_PASSWORD} characters; left out, a password is made and shown once`);
    const password = chosen ?? randomBytes(9).toString('base64url');
    const hash = await hashPassword(password);
    await this.#store.write((transaction) => OperatorRow.create({ name: OPERATOR, password: hash }, { transaction }));
    return { name: OPERATOR, password };
  }

  /**
   * Counts an attempt, before anything is waited for. A browser that has signed in before brings a mark and is counted
   * apart, so that whoever tries passwords at the same address does not lock it out.
   * @returns 0 when it may be looked at, else how long to wait, milliseconds
   */
  admit(name: string, address: string, mark: string | null): { from: string; waitMs: number } {
    const from = mark !== null && this.#isMark(name, mark) ? `browser ${mark}` : `address ${address}`;
    if (this.#checking >= CHECKS_AT_ONCE && !from.startsWith('browser')) return { from, waitMs: BUSY_MS };
    return { from, waitMs: this.#budget.take(from, Date.now()) };
  }

  /**
   * @param from where the attempt was counted
   * @returns the session's secret id and the browser's mark, or null for a wrong name or password
   */
  async signIn(name: string, password: string, from: string): Promise<{ id: string; mark: string; session: Session } | null> {
    this.#checking++;
    try {
      const operator = await OperatorRow.findByPk(name, { raw: true });
      if (!(await checkPassword(password, operator?.password ?? null))) return null;
    } finally {
      this.#checking--;
    }
    this.#budget.giveBack(from);
    const id = randomBytes(32).toString('base64url');
    const session: Session = { name, csrfToken: randomBytes(24).toString('base64url'), expiresAt: Date.now() + LIFE_MS };
    try {
      await this.#store.write(async (transaction) => {
        await SessionRow.destroy({ where: { expiresAt: { [Op.lt]: Date.now() } }, transaction });
        await SessionRow.create({ idHash: digest(id), operator: name, csrfToken: session.csrfToken, expiresAt: session.expiresAt }, { transaction });
      });
    } catch (error) {
      // Whoever mends a full disk must be able to sign in and read.
      if (storageProblem(error) === null || this.#unwritten.size >= MAX_UNWRITTEN) throw error;
      this.#unwritten.set(digest(id), session);
    }
    return { id, mark: this.#makeMark(name), session };
  }

  /** A mark that a browser keeps from its first sign-in on: it proves nothing but that. */
  #makeMark(name: string): string {
    const nonce = randomBytes(12).toString('base64url');
    return `${nonce}.${this.#macOf(name, nonce)}`;
  }

  #isMark(name: string, mark: string): boolean {
    const [nonce = '', mac = ''] = mark.split('.');
    return mark.length < 100 && sameText(mac, this.#macOf(name, nonce));
  }

  #macOf(name: string, nonce: string): string {
    return createHmac('sha256', this.#settings.secretKey).update(`browser of ${name} ${nonce}`).digest('base64url');
  }

  async find(id: string): Promise<Session | null> {
    const unwritten = this.#unwritten.get(digest(id));
    if (unwritten) return unwritten.expiresAt > Date.now() ? unwritten : null;
    const row = await SessionRow.findByPk(digest(id), { raw: true });
    return row && row.expiresAt > Date.now() ? { name: row.operator, csrfToken: row.csrfToken, expiresAt: row.expiresAt } : null;
  }

  async signOut(id: string): Promise<void> {
    if (this.#unwritten.delete(digest(id))) return;
    await this.#store.write((transaction) => SessionRow.destroy({ where: { idHash: digest(id) }, transaction }));
  }

  isControlToken(token: string): boolean {
    return sameText(token, this.#settings.controlToken);
  }

  isNodeToken(token: string): boolean {
    return sameText(token, this.#settings.nodeToken);
  }

  /** Marks a probe of the live gateway, see PROBE_HEADER. */
  signProbe(): string {
    const nonce = randomBytes(12).toString('base64url');
    return `${nonce}.${createHmac('sha256', this.#settings.nodeToken).update(nonce).digest('base64url')}`;
  }
}

const digest = (id: string): string => createHash('sha256').update(id).digest('base64url');

/** Equal texts, in constant time. */
export function sameText(a: string, b: string): boolean {
  return timingSafeEqual(createHash('sha256').update(a).digest(), createHash('sha256').update(b).digest());
}
