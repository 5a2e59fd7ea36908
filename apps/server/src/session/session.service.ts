import { Inject, Injectable } from '@nestjs/common';
import { createHash, createHmac, randomBytes, timingSafeEqual } from 'node:crypto';
import { Op } from 'sequelize';
import { SETTINGS, type ServerSettings } from '../config/settings.js';
import { OperatorRow, SessionRow } from '../store/models/configuration.js';
import { Store } from '../store/store.js';
import { checkPassword, hashPassword } from './passwords.js';

export const SESSION_COOKIE = 'virga_session';
const LIFE_MS = 12 * 3_600_000;
const FREE_ATTEMPTS = 5;
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
  readonly #failures = new Map<string, { count: number; until: number }>();

  constructor(store: Store, @Inject(SETTINGS) settings: ServerSettings) {
    this.#store = store;
    this.#settings = settings;
  }

  /** Makes the operator's account at the first start. @returns the password when it was made just now */
  async ensureOperator(chosen: string | undefined): Promise<{ name: string; password: string } | null> {
    if ((await OperatorRow.count()) > 0) return null;
    const password = chosen ?? randomBytes(9).toString('base64url');
    const hash = await hashPassword(password);
    await this.#store.write((transaction) => OperatorRow.create({ name: OPERATOR, password: hash }, { transaction }));
    return { name: OPERATOR, password };
  }

  /** How long sign-in has to wait after failures, in milliseconds; 0 when it need not. */
  waitMs(name: string): number {
    const failure = this.#failures.get(name);
    return failure && failure.count >= FREE_ATTEMPTS ? Math.max(0, failure.until - Date.now()) : 0;
  }

  /** @returns the session's secret id, or null for a wrong name or password */
  async signIn(name: string, password: string): Promise<{ id: string; session: Session } | null> {
    const operator = await OperatorRow.findByPk(name, { raw: true });
    if (!(await checkPassword(password, operator?.password ?? null))) {
      const count = (this.#failures.get(name)?.count ?? 0) + 1;
      if (this.#failures.size > 1000) this.#failures.clear();
      this.#failures.set(name, { count, until: Date.now() + Math.min(300_000, 1000 * 2 ** Math.max(0, count - FREE_ATTEMPTS)) });
      return null;
    }
    this.#failures.delete(name);
    const id = randomBytes(32).toString('base64url');
    const session: Session = { name, csrfToken: randomBytes(24).toString('base64url'), expiresAt: Date.now() + LIFE_MS };
    await this.#store.write(async (transaction) => {
      await SessionRow.destroy({ where: { expiresAt: { [Op.lt]: Date.now() } }, transaction });
      await SessionRow.create({ idHash: digest(id), operator: name, csrfToken: session.csrfToken, expiresAt: session.expiresAt }, { transaction });
    });
    return { id, session };
  }

  async find(id: string): Promise<Session | null> {
    const row = await SessionRow.findByPk(digest(id), { raw: true });
    return row && row.expiresAt > Date.now() ? { name: row.operator, csrfToken: row.csrfToken, expiresAt: row.expiresAt } : null;
  }

  async signOut(id: string): Promise<void> {
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
