import { Inject, Injectable } from '@nestjs/common';
import type { PortalProviderDto, PortalSettingsPatch, PortalSettingsView, Registration, SeenBy, ShownApi, ShownApiInput } from '@virga/protocol';
import type { Transaction } from 'sequelize';
import { SETTINGS, type ServerSettings } from '../config/settings.js';
import { DraftService } from '../control/releases/draft.service.js';
import { ReleasesService } from '../control/releases/releases.service.js';
import { fieldProblem, notFound } from '../http/problems.js';
import { Vault } from '../secret/vault.js';
import { SettingRow } from '../store/models/configuration.js';
import { TeamRow } from '../store/models/portal.js';
import { logPortal } from '../store/portal-store.js';
import { Store } from '../store/store.js';

const SETTING = 'portal';
const PICTURE_BYTES = 65_536;

/** A provider as it is kept; its secret is encrypted. */
export interface KeptProvider {
  readonly providerId: string;
  readonly label: string;
  readonly clientId: string;
  readonly sealed: string | null;
  readonly scopes: readonly string[];
  readonly signIn: boolean;
  readonly registration: boolean;
}

/** Who sees an API in the portal. */
export interface Shown {
  readonly seen: SeenBy;
  readonly teams: readonly string[];
}

export interface PortalSettings {
  readonly name: string;
  readonly mark: string;
  readonly colour: string;
  readonly welcome: string;
  readonly contact: string;
  readonly registration: Registration;
  readonly providers: readonly KeptProvider[];
  readonly apis: Readonly<Record<string, Shown>>;
}

/** Until somebody says otherwise nothing is shown, and nobody comes in uninvited. */
const FIRST: PortalSettings = {
  name: 'API portal',
  mark: '',
  colour: '#2c6c8c',
  welcome: '',
  contact: '',
  registration: 'closed',
  providers: [],
  apis: {},
};

/** How the portal looks, who comes in, and who sees which API there. Acts at once. */
@Injectable()
export class PortalSettingsService {
  constructor(
    private readonly store: Store,
    private readonly vault: Vault,
    private readonly draft: DraftService,
    private readonly releases: ReleasesService,
    @Inject(SETTINGS) private readonly settings: ServerSettings,
  ) {}

  get url(): string {
    return this.settings.portalUrl;
  }

  get redirectUris(): { readonly signIn: string; readonly tokens: string } {
    return { signIn: `${this.url}/portal/v1/sign-in/callback`, tokens: `${this.url}/portal/v1/tokens/callback` };
  }

  /** What is kept. What cannot be read is an error, and not a portal that is open to all. */
  async read(transaction?: Transaction): Promise<PortalSettings> {
    const row = await SettingRow.findByPk(SETTING, { raw: true, ...(transaction ? { transaction } : {}) });
    return row ? { ...FIRST, ...(JSON.parse(row.value) as Partial<PortalSettings>) } : FIRST;
  }

  async view(): Promise<PortalSettingsView> {
    const { name, mark, colour, welcome, contact, registration, providers } = await this.read();
    return {
      url: this.url,
      redirectUris: Object.values(this.redirectUris),
      name,
      mark,
      colour,
      welcome,
      contact,
      registration,
      providers: providers.map(({ sealed, scopes, ...one }) => ({
        ...one,
        scopes: [...scopes],
        name: this.#providerName(one.providerId),
        secretSet: sealed !== null,
        live: this.isLive(one.providerId),
      })),
    };
  }

  async change({ providers, ...rest }: PortalSettingsPatch, by: string): Promise<PortalSettingsView> {
    if (rest.mark !== undefined) refuseMark(rest.mark);
    const given = Object.fromEntries(Object.entries(rest).filter(([, value]) => value !== undefined));
    await this.#keep(by, 'the portal’s settings changed', (kept) => ({
      ...kept,
      ...given,
      ...(providers === undefined ? {} : { providers: providers.map((one, index) => this.#provider(one, index, providers, kept)) }),
    }));
    return this.view();
  }

  #provider(
    { providerId, label, clientId, secret, scopes, signIn, registration }: PortalProviderDto,
    index: number,
    all: readonly PortalProviderDto[],
    kept: PortalSettings,
  ): KeptProvider {
    const before = kept.providers.find((one) => one.providerId === providerId);
    if (!before && !this.#known(providerId)) throw fieldProblem(`/providers/${index}/providerId`, 'There is no such provider');
    if (all.findIndex((one) => one.providerId === providerId) !== index) throw fieldProblem(`/providers/${index}/providerId`, 'It is named twice');
    const sealed = secret === undefined ? (before?.sealed ?? null) : secret === '' ? null : this.vault.seal(secret, `portal ${providerId}`);
    return { providerId, label, clientId, sealed, scopes: [...new Set(scopes)], signIn, registration };
  }

  /** Whether the live release trusts a provider. */
  isLive(providerId: string): boolean {
    return this.releases.live?.document.providers.some(({ id }) => id === providerId) ?? false;
  }

  /** Whether one signs in at the provider of an issuer: open for that now, and trusted by the live release. */
  async isOpenTo(issuer: string): Promise<boolean> {
    const trusted = this.releases.live?.document.providers.filter((provider) => provider.issuer === issuer) ?? [];
    if (trusted.length === 0) return false;
    const { providers } = await this.read();
    return providers.some(({ providerId, signIn }) => signIn && trusted.some(({ id }) => id === providerId));
  }

  /** The secret of the portal at a provider; empty for none. */
  secretOf({ providerId, sealed }: KeptProvider): string {
    return sealed === null ? '' : this.vault.open(sealed, `portal ${providerId}`);
  }

  /** Every API that there is or was shown, with who sees it. */
  async apis(): Promise<ShownApi[]> {
    const { apis } = await this.read();
    const live = this.releases.live?.document.apis ?? [];
    const known = [...this.draft.document.apis, ...live.filter(({ id }) => !this.draft.document.apis.some((api) => api.id === id))];
    return known.map((api) => {
      const { seen, teams } = apis[api.id] ?? { seen: 'nobody' as const, teams: [] };
      const operations = (live.find(({ id }) => id === api.id) ?? api).operations;
      return {
        apiId: api.id,
        name: api.name,
        seen,
        teams: [...teams],
        live: live.some(({ id, enabled }) => id === api.id && enabled),
        operations: operations.length,
        hidden: operations.filter(({ hidden }) => hidden).length,
      };
    });
  }

  async show(apiId: string, { seen, teams }: ShownApiInput, by: string): Promise<ShownApi> {
    const api = (await this.apis()).find((one) => one.apiId === apiId);
    if (!api) throw notFound('API');
    const ids = seen === 'teams' ? [...new Set(teams)] : [];
    if (seen === 'teams' && ids.length === 0) throw fieldProblem('/teams', 'Choose at least one team');
    const found = await TeamRow.findAll({ attributes: ['id'], where: { id: ids }, raw: true });
    if (found.length !== ids.length) throw fieldProblem('/teams', 'One of the teams does not exist');
    await this.#keep(by, `who sees ${api.name} in the portal: ${seen === 'teams' ? `${ids.length} teams` : seen}`, (kept) => ({
      ...kept,
      apis: { ...kept.apis, [apiId]: { seen, teams: ids } },
    }));
    return { ...api, seen, teams: ids };
  }

  async #keep(by: string, words: string, change: (kept: PortalSettings) => PortalSettings): Promise<void> {
    // Read inside the transaction, so that of two changes at once none is lost.
    await this.store.write(async (transaction) => {
      await SettingRow.upsert({ name: SETTING, value: JSON.stringify(change(await this.read(transaction))) }, { transaction });
      await logPortal({ by, side: 'operator', teamId: null, decides: true, words }, transaction);
    });
  }

  #known(id: string): { readonly name: string } | undefined {
    return [...this.draft.document.providers, ...(this.releases.live?.document.providers ?? [])].find((provider) => provider.id === id);
  }

  #providerName(id: string): string {
    return this.#known(id)?.name ?? 'a provider that is no longer trusted';
  }
}

/** A picture is what it says it is: its first bytes are looked at. @throws HttpException 422 */
function refuseMark(mark: string): void {
  if (mark === '') return;
  const [, kind = '', data = ''] = /^data:image\/(png|jpeg|webp);base64,(.*)$/.exec(mark) ?? [];
  const bytes = Buffer.from(data, 'base64');
  if (bytes.length > PICTURE_BYTES) throw fieldProblem('/mark', 'A picture of at most 64 KB');
  const begins = { png: '89504e470d0a1a0a', jpeg: 'ffd8ff', webp: '52494646' }[kind] ?? 'nothing';
  if (!bytes.toString('hex', 0, 16).startsWith(begins)) throw fieldProblem('/mark', 'The file is no such picture');
}
