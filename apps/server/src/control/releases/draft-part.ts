import { canonicalJson, type ReleaseDocument } from '@virga/core';
import { createHash } from 'node:crypto';

/** What edits are made of: a provider, an API or an authorizer (by its name) of the draft, or what it says of addresses, conditions or detectors for the gateway as a whole. */
export type DraftPart =
  | { readonly kind: 'providers' | 'apis' | 'authorizers' | 'plans'; readonly id: string }
  | { readonly kind: 'limits' }
  | { readonly kind: 'addresses' }
  | { readonly kind: 'conditions' }
  | { readonly kind: 'detectors' };

type Part =
  | ReleaseDocument['providers'][number]
  | ReleaseDocument['apis'][number]
  | ReleaseDocument['authorizers'][number]
  | ReleaseDocument['plans'][number]
  | Pick<ReleaseDocument, 'limits' | 'guessing' | 'counting'>
  | Pick<ReleaseDocument, 'networks' | 'fence' | 'callerAddress'>
  | Pick<ReleaseDocument, 'conditions'>
  | Pick<ReleaseDocument, 'detectors'>;

/** A part as the draft has it; null where it has none. */
export function partOf(document: ReleaseDocument, part: DraftPart): Part | null {
  if (part.kind === 'addresses') return { networks: document.networks, fence: document.fence, callerAddress: document.callerAddress };
  if (part.kind === 'limits') return { limits: document.limits, guessing: document.guessing, counting: document.counting };
  if (part.kind === 'conditions') return { conditions: document.conditions };
  if (part.kind === 'detectors') return { detectors: document.detectors };
  if (part.kind === 'authorizers') return document.authorizers.find(({ name }) => name === part.id) ?? null;
  return document[part.kind].find((item) => item.id === part.id) ?? null;
}

const REVISIONS = new WeakMap<object, string>();

/** The revision of a part: a hash of what it holds, made once for each. */
export function revisionOf(part: object): string {
  let revision = REVISIONS.get(part);
  if (revision === undefined) REVISIONS.set(part, (revision = createHash('sha256').update(canonicalJson(part)).digest('hex').slice(0, 20)));
  return revision;
}
