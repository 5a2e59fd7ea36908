import type { ApiRule, OperationRule, ProviderRule, ReleaseDocument } from '@virga/core';
import type { Transaction } from 'sequelize';
import { ApiRow, OperationRow, ProviderRow, SettingRow } from './models/configuration.js';
import type { Store } from './store.js';

const CHUNK = 500;
/** Members of the draft that belong to the gateway as a whole, by the names of their settings. */
const MEMBERS = {
  certificateHeader: 'draft.certificate-header',
  networks: 'draft.networks',
  fence: 'draft.fence',
  callerAddress: 'draft.caller-address',
  conditions: 'draft.conditions',
  authorizers: 'draft.authorizers',
  detectors: 'draft.detectors',
  plans: 'draft.plans',
  limits: 'draft.limits',
  guessing: 'draft.guessing',
  counting: 'draft.counting',
} as const satisfies Partial<Record<keyof ReleaseDocument, string>>;
type Member = keyof typeof MEMBERS;

/** A draft as it is stored, perhaps in the form of an earlier version, which has fewer members. */
export type StoredDraft = Omit<ReleaseDocument, 'format' | Member> & Partial<Pick<ReleaseDocument, Member>> & { readonly format: number };

/** The settings that belong to the draft. */
const FORMAT = 'draft.format';

/** Reads the draft as one document, of the format in which it was last written. */
export async function readDraft(environment: string): Promise<StoredDraft> {
  const [format, settings, providers, apis, operations] = await Promise.all([
    SettingRow.findByPk(FORMAT, { raw: true }),
    SettingRow.findAll({ where: { name: Object.values(MEMBERS) }, raw: true }),
    ProviderRow.findAll({ order: [['position', 'ASC']], raw: true }),
    ApiRow.findAll({ order: [['position', 'ASC']], raw: true }),
    OperationRow.findAll({
      order: [
        ['apiId', 'ASC'],
        ['position', 'ASC'],
      ],
      raw: true,
    }),
  ]);
  const byApi = new Map<string, OperationRule[]>();
  for (const row of operations) {
    const own = byApi.get(row.apiId) ?? [];
    own.push(JSON.parse(row.body) as OperationRule);
    byApi.set(row.apiId, own);
  }
  return {
    // The first format was not written down.
    format: format ? Number(format.value) : 1,
    environment,
    // Earlier versions wrote no row while there was none.
    certificateHeader: null,
    ...Object.fromEntries(
      Object.entries(MEMBERS).flatMap(([member, name]): [string, unknown][] => {
        const row = settings.find((setting) => setting.name === name);
        return row ? [[member, JSON.parse(row.value)]] : [];
      }),
    ),
    providers: providers.map((row) => JSON.parse(row.body) as ProviderRule),
    apis: apis.map((row) => ({ ...(JSON.parse(row.body) as ApiRule), operations: byApi.get(row.id) ?? [] })),
  };
}

/**
 * Writes what differs between two drafts; parts that are the same objects are not touched.
 * @param also what is written together with it, or not at all
 */
export function writeDraft(store: Store, before: StoredDraft, after: ReleaseDocument, also?: (transaction: Transaction) => Promise<unknown>): Promise<void> {
  return store.write(async (transaction) => {
    await also?.(transaction);
    if (before.format !== after.format) await SettingRow.upsert({ name: FORMAT, value: String(after.format) }, { transaction });
    await writeProviders(before, after, transaction);
    for (const [member, name] of Object.entries(MEMBERS)) {
      const value = after[member as Member];
      if (before[member as Member] !== value) await SettingRow.upsert({ name, value: JSON.stringify(value) }, { transaction });
    }
    const kept = new Set(after.apis.map((api) => api.id));
    for (const api of before.apis) if (!kept.has(api.id)) await ApiRow.destroy({ where: { id: api.id }, transaction });
    const old = new Map(before.apis.map((api, position) => [api.id, { api, position }]));
    for (const [position, api] of after.apis.entries()) {
      const earlier = old.get(api.id);
      if (earlier?.api === api && earlier.position === position) continue;
      const { operations, ...own } = api;
      await ApiRow.upsert({ id: api.id, position, body: JSON.stringify(own), contractHash: api.contractHash }, { transaction });
      if (earlier?.api.operations !== operations) await writeOperations(api, earlier?.api.operations ?? [], transaction);
    }
  });
}

async function writeProviders(before: StoredDraft, after: ReleaseDocument, transaction: Transaction): Promise<void> {
  if (before.providers === after.providers) return;
  await ProviderRow.destroy({ where: {}, transaction });
  await ProviderRow.bulkCreate(
    after.providers.map((provider, position) => ({ id: provider.id, position, body: JSON.stringify(provider) })),
    { transaction },
  );
}

async function writeOperations(api: ApiRule, before: readonly OperationRule[], transaction: Transaction): Promise<void> {
  const old = new Map(before.map((operation, position) => [operation.id, { operation, position }]));
  const ids = new Set(api.operations.map((operation) => operation.id));
  const gone = before.filter((operation) => !ids.has(operation.id)).map((operation) => operation.id);
  for (let at = 0; at < gone.length; at += CHUNK) await OperationRow.destroy({ where: { apiId: api.id, id: gone.slice(at, at + CHUNK) }, transaction });
  const changed = api.operations
    .map((operation, position) => ({ operation, position }))
    .filter(({ operation, position }) => {
      const earlier = old.get(operation.id);
      return earlier?.operation !== operation || earlier.position !== position;
    })
    .map(({ operation, position }) => ({ apiId: api.id, id: operation.id, position, body: JSON.stringify(operation) }));
  for (let at = 0; at < changed.length; at += CHUNK)
    await OperationRow.bulkCreate(changed.slice(at, at + CHUNK), { updateOnDuplicate: ['position', 'body'], transaction });
}
