import { Injectable } from '@nestjs/common';
import { randomBytes } from 'node:crypto';
import { notFound, problem } from '../http/problems.js';
import { TeamRow } from '../store/models/portal.js';
import { AccountsService, sha256, type SignedIn } from './accounts.service.js';
import { PortalSettingsService } from './portal-settings.service.js';

const GOOD_MS = 60_000;

/** Lets an operator look at the portal as a team sees it: by a code that is good once, for a session that changes nothing. */
@Injectable()
export class Looks {
  readonly #codes = new Map<string, { readonly teamId: string | null; readonly until: number }>();

  constructor(
    private readonly accounts: AccountsService,
    private readonly settings: PortalSettingsService,
  ) {}

  /** @param teamId null for somebody who is not signed in */
  async begin(teamId: string | null): Promise<string> {
    if (teamId !== null && !(await TeamRow.findByPk(teamId, { attributes: ['id'] }))) throw notFound('team');
    const now = Date.now();
    for (const [code, { until }] of this.#codes) if (until <= now) this.#codes.delete(code);
    const code = randomBytes(24).toString('base64url');
    this.#codes.set(sha256(code), { teamId, until: now + GOOD_MS });
    return `${this.settings.url}/look#${code}`;
  }

  async open(code: string): Promise<SignedIn> {
    const found = this.#codes.get(sha256(code));
    this.#codes.delete(sha256(code));
    if (!found || found.until <= Date.now()) throw problem(410, 'This link is not good any more', 'Look anew from the console.');
    return this.accounts.openLook(found.teamId);
  }
}
