import {
  AddressSet,
  compileCondition,
  OPEN_SCOPE,
  describeAddresses,
  reviewAddresses,
  type ApiRule,
  unseenIn,
  type ConditionUse,
  type ReleaseDocument,
} from '@virga/core';
import type { AttentionItem, RevocationView } from '@virga/protocol';
import { leakedCredentials } from '../../store/client-store.js';

/** So many leaked credentials are told of one by one; of more, how many. */
const LEAKED_ONE_BY_ONE = 5;

/** Credentials that were found where others can read them, and are accepted still. */
export async function leakedItems(): Promise<AttentionItem[]> {
  const { rows, count } = await leakedCredentials(Date.now(), LEAKED_ONE_BY_ONE);
  const items = rows.map(({ clientId, name, leakedBy }): AttentionItem => ({
    mark: 'refused',
    title: `The credential “${name}” of ${clientId} leaked and is accepted still`,
    detail: `${leakedBy ?? 'Somebody'} found it where others can read it. Rotate it with its owner, or revoke it at once.`,
    link: `/clients/${encodeURIComponent(clientId)}`,
  }));
  const more = count - rows.length;
  if (more > 0)
    items.push({
      mark: 'refused',
      title: `${more} more ${more === 1 ? 'credential leaked and is' : 'credentials leaked and are'} accepted still`,
      detail: 'They are told of here as those above are rotated or revoked.',
      link: '/clients',
    });
  return items;
}

/** Revocations of before that could not be made so today: the tokens that they seem to stop say it otherwise, and stay good. */
export const revocationItems = (revocations: readonly RevocationView[]): AttentionItem[] =>
  revocations.flatMap(({ value, providerId, providerName }): AttentionItem[] => {
    const unseen = unseenIn(value);
    if (unseen === null) return [];
    return [
      {
        mark: 'refused',
        title: `What is revoked at ${providerName} is not what it looks like`,
        detail: `${JSON.stringify(value)} has ${unseen}: tokens that say it without stay good. Revoke it again without, then take this one back.`,
        link: `/providers/${encodeURIComponent(providerId)}`,
      },
    ];
  });

/** What of the live rules about addresses is weaker than it looks. */
export function addressItems(document: ReleaseDocument | undefined): AttentionItem[] {
  if (!document) return [];
  const { fence, networks, callerAddress, apis } = document;
  const items: AttentionItem[] = [];
  const everybody = new AddressSet(callerAddress?.trustedHops ?? [], networks).whole();
  if (everybody.length > 0)
    items.push({
      mark: 'refused',
      title: 'Everybody is a trusted hop',
      detail: `The trusted hops take every ${everybody.map((family) => `IPv${family}`).join(' and ')} address, so that each caller says itself where it comes from. Name the hops in front of the gateway.`,
      link: '/addresses',
    });
  if (fence.mode === 'observe' && fence.addresses.kind !== 'anywhere')
    items.push({
      mark: 'would-refuse',
      title: 'The fence of the gateway only observes',
      detail: `${describeAddresses(fence.addresses)}: nobody is refused yet. Look who it would stop, then enforce.`,
      link: '/addresses',
    });
  const note = (of: string, link: string, notes: ReturnType<typeof reviewAddresses>): void => {
    const [first] = notes;
    if (first) items.push({ mark: 'unknown', title: `${of}: ${first.entry} ${first.says}`, detail: 'An entry of a rule about addresses.', link });
  };
  note('The fence', '/addresses', reviewAddresses(fence.addresses, networks, null));
  for (const api of apis) note(api.name, `/apis/${api.id}`, reviewAddresses(api.addresses, networks, fence.addresses));
  return items;
}

/** Conditions that are live and look at a table, or a column of one, that is not there: they refuse every request that comes so far. */
export function tableItems(document: ReleaseDocument | undefined, tables: Readonly<Record<string, readonly string[]>>): AttentionItem[] {
  if (!document) return [];
  const shared = new Set(document.apis.flatMap(usesOf).flatMap((use) => (use.kind === 'shared' ? [use.name] : [])));
  const asked = [
    ...document.conditions.filter(({ name }) => shared.has(name)).map(({ name, source }) => ({ name, source, link: '/conditions' })),
    ...document.apis.flatMap((api) =>
      usesOf(api).flatMap((use) => (use.kind === 'own' ? [{ name: use.name, source: use.source, link: `/apis/${api.id}` }] : [])),
    ),
  ].filter(({ source }) => source.includes('resource'));
  return asked.flatMap(({ name, source, link }): AttentionItem[] => {
    // What stood when it was published, held against the tables of now.
    const faults = compileCondition(source, { ...OPEN_SCOPE, tables });
    if ('evaluate' in faults) return [];
    const detail = `${faults[0]?.says ?? ''}. Until that is there, what it is asked for is refused.`;
    return [{ mark: 'refused', title: `The condition ${name} looks at a table that is not there`, detail, link }];
  });
}

const usesOf = (api: ApiRule): readonly ConditionUse[] => [...api.conditions, ...api.operations.flatMap(({ conditions }) => conditions ?? [])];
