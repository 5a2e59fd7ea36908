import { Injectable } from '@nestjs/common';
import { findLeaked, type DirectoryChange, type LeakedTexts } from '@virga/core';
import type { LeakedCredential, LeakReport, LeakRule, LeakRuleView, ScannerMade } from '@virga/protocol';
import { randomBytes } from 'node:crypto';
import { setImmediate as breathe } from 'node:timers/promises';
import type { Transaction } from 'sequelize';
import { DirectoryFeed } from '../../nodes/directory-feed.js';
import { sameText } from '../../session/session.service.js';
import { credentialFact } from '../../store/client-store.js';
import { ClientRow, CredentialRow } from '../../store/models/clients.js';
import { SettingRow } from '../../store/models/configuration.js';
import { Store } from '../../store/store.js';
import { KIND_WORDS, stateOf, timeOf } from './client-views.js';
import { logClientEdit } from './log-client-edit.js';
import { sha256 } from './make-credential.js';

const SETTING = 'leaks';
/** Digests that are made, and looked for, before others have their turn. */
const STRETCH = 400;
const SCANNER_PREFIX = 'vrscan_';

interface Kept extends LeakRule {
  /** SHA-256 of the scanner's credential; null while there is none. */
  readonly scanner: string | null;
  readonly scannerMadeAt: number | null;
  readonly lastToldAt: number | null;
}

const NONE: Kept = { revoke: 'by-hand', scanner: null, scannerMadeAt: null, lastToldAt: null };

/** Who told of a text, and what becomes of what is found in it. */
interface Told {
  readonly by: string;
  readonly revoke: boolean;
  /** Whether it is written down that these leaked. */
  readonly note: boolean;
}

/** Credentials of clients in texts that others can read: found by form, checksum and digest. Nothing of a text is kept. */
@Injectable()
export class LeaksService {
  constructor(
    private readonly store: Store,
    private readonly feed: DirectoryFeed,
  ) {}

  /** Looks a text through. */
  async look(text: string, told: Told): Promise<LeakReport> {
    const { keys, lookAlikes, words, basic, cut } = findLeaked(text);
    const found = new Map<string, CredentialRow>();
    const known = await this.#byDigest(keys, found);
    await this.#byDigest(words, found);
    await this.#bySecret(basic, found);
    const good = [...found.values()].filter((row) => row.revokedAt === null);
    const noted = told.note || told.revoke ? await this.#note(good, told) : good;
    const now = Date.now();
    const clients = new Map(
      (await ClientRow.findAll({ where: { id: [...found.values()].map(({ clientId }) => clientId) }, raw: true })).map((row) => [row.id, row]),
    );
    const latest = new Map(noted.map((row) => [row.id, row]));
    return {
      found: [...found.values()].map((row) => leaked(latest.get(row.id) ?? row, clients.get(row.clientId) ?? null, now)),
      unknown: keys.length - known,
      lookAlikes,
      revoked: noted.filter(({ revokedAt }) => revokedAt !== null).length,
      cut,
    };
  }

  /** @returns how many of them belong to somebody */
  async #byDigest(texts: readonly string[], found: Map<string, CredentialRow>): Promise<number> {
    let known = 0;
    for (let at = 0; at < texts.length; at += STRETCH) {
      const lookup = texts.slice(at, at + STRETCH).map(sha256);
      const rows = await CredentialRow.findAll({ where: { kind: 'key', superseded: false, lookup }, raw: true });
      for (const row of rows) found.set(row.id, row);
      known += rows.length;
      await breathe();
    }
    return known;
  }

  async #bySecret(pairs: LeakedTexts['basic'], found: Map<string, CredentialRow>): Promise<void> {
    for (let at = 0; at < pairs.length; at += STRETCH) {
      const part = pairs.slice(at, at + STRETCH);
      const rows = await CredentialRow.findAll({ where: { kind: 'basic', superseded: false, lookup: part.map(({ name }) => name) }, raw: true });
      const byName = new Map<string, CredentialRow[]>();
      // A name has two while its secret is rotated.
      for (const row of rows) byName.set(row.lookup, [...(byName.get(row.lookup) ?? []), row]);
      for (const { name, secret } of part) {
        const own = byName.get(name);
        const digest = own && sha256(secret);
        for (const row of own ?? []) if (sameText(row.digest ?? '', digest ?? '')) found.set(row.id, row);
      }
      await breathe();
    }
  }

  /** Writes down that credentials leaked, and revokes them where that is asked for; both act at once. */
  async #note(rows: readonly CredentialRow[], { by, revoke, note }: Told): Promise<CredentialRow[]> {
    const noted: CredentialRow[] = [];
    for (const { id, clientId } of rows) {
      const changes = await this.store.write(async (transaction) => {
        const row = await CredentialRow.findByPk(id, { transaction });
        if (!row || row.revokedAt !== null) return null;
        const client = await ClientRow.findByPk(clientId, { raw: true, transaction });
        const edit = await logClientEdit(clientId, by, transaction);
        const now = Date.now();
        await row.update({ ...(note && row.leakedAt === null ? { leakedAt: now, leakedBy: by } : {}), ...(revoke ? { revokedAt: now } : {}) }, { transaction });
        const plain = row.get({ plain: true }) as CredentialRow;
        noted.push(plain);
        if (!revoke) return null;
        const change: DirectoryChange = { what: 'credential', id, value: credentialFact(plain) };
        return edit([`${client?.name ?? clientId}: ${KIND_WORDS[plain.kind]} “${plain.name}” revoked, because it leaked`], [change]);
      });
      if (changes) await this.feed.tell(changes.changes);
    }
    return noted;
  }

  async rule(): Promise<LeakRuleView> {
    const { revoke, scannerMadeAt, lastToldAt } = await this.#kept();
    return { revoke, scannerMadeAt, lastToldAt };
  }

  async setRule({ revoke }: LeakRule): Promise<LeakRuleView> {
    await this.#keep((kept) => ({ ...kept, revoke }));
    return this.rule();
  }

  /** Makes the scanner's credential anew; the one of before is worth nothing from now on. */
  async makeScanner(): Promise<ScannerMade> {
    const secret = SCANNER_PREFIX + randomBytes(32).toString('base64url');
    await this.#keep((kept) => ({ ...kept, scanner: sha256(secret), scannerMadeAt: Date.now() }));
    return { ...(await this.rule()), secret };
  }

  async removeScanner(): Promise<LeakRuleView> {
    await this.#keep((kept) => ({ ...kept, scanner: null, scannerMadeAt: null }));
    return this.rule();
  }

  /** Whether a credential is the scanner's. It opens nothing but telling of leaks. */
  async isScanner(bearer: string): Promise<boolean> {
    if (!bearer.startsWith(SCANNER_PREFIX)) return false;
    const { scanner } = await this.#kept();
    return scanner !== null && sameText(sha256(bearer), scanner);
  }

  /** What a scanner found: revoked or told of, as the rule says. */
  async told(text: string): Promise<LeakReport> {
    const { revoke } = await this.#kept();
    const report = await this.look(text, { by: 'scanner', revoke: revoke === 'at-once', note: true });
    await this.#keep((kept) => ({ ...kept, lastToldAt: Date.now() }));
    return report;
  }

  async #kept(transaction?: Transaction): Promise<Kept> {
    const row = await SettingRow.findByPk(SETTING, { raw: true, ...(transaction ? { transaction } : {}) });
    return row ? { ...NONE, ...(JSON.parse(row.value) as Partial<Kept>) } : NONE;
  }

  async #keep(change: (kept: Kept) => Kept): Promise<void> {
    // Read inside the transaction, so that of two changes at once none is lost.
    await this.store.write(async (transaction) => {
      await SettingRow.upsert({ name: SETTING, value: JSON.stringify(change(await this.#kept(transaction))) }, { transaction });
    });
  }
}

function leaked(row: CredentialRow, client: ClientRow | null, now: number): LeakedCredential {
  return {
    credentialId: row.id,
    kind: row.kind,
    name: row.name,
    hint: row.hint,
    clientId: row.clientId,
    clientName: client?.name ?? 'a client that is gone',
    owner: client?.owner ?? '',
    state: stateOf(row, now),
    lastUsedAt: timeOf(row.lastUsedAt),
    lastUsedFrom: row.lastUsedFrom,
  };
}
