import type { ReleaseDocument } from '../document/release-document.js';
import { canonicalJson } from '../util/canonical-json.js';

/** One thing that an edit changed: what it was and what it became; undefined where it was or is not there. */
export interface DocumentChange {
  readonly at: ChangePlace;
  readonly before?: unknown;
  readonly after?: unknown;
}

/** What a change is about, by ids and not by places in lists, so that it can be found again after other edits. */
export type ChangePlace =
  /** A member of the document that is no list, or the order of a list. */
  | { readonly kind: 'member'; readonly member: string }
  | { readonly kind: 'order'; readonly of: 'providers' | 'apis' }
  | { readonly kind: 'provider'; readonly id: string }
  | { readonly kind: 'api'; readonly id: string }
  | { readonly kind: 'api-member'; readonly id: string; readonly member: string }
  | { readonly kind: 'operation'; readonly id: string; readonly operationId: string }
  | { readonly kind: 'operation-order'; readonly id: string };

type Json = Readonly<Record<string, unknown>>;
type Identified = Json & { readonly id: string };

const same = (one: unknown, other: unknown): boolean => one === other || canonicalJson(one ?? null) === canonicalJson(other ?? null);
const idsOf = (items: readonly Identified[]): string[] => items.map(({ id }) => id);
const asItems = (items: readonly object[]): readonly Identified[] => items as readonly Identified[];

/** What differs between two documents, so small that keeping it costs little, and enough to go back. */
export function listChanges(before: ReleaseDocument, after: ReleaseDocument): DocumentChange[] {
  const changes: DocumentChange[] = [];
  const note = (at: ChangePlace, was: unknown, is: unknown): void => {
    if (same(was, is)) return;
    changes.push({ at, ...(was === undefined ? {} : { before: was }), ...(is === undefined ? {} : { after: is }) });
  };
  const { providers: wasProviders, apis: wasApis, ...wasRest } = before;
  const { providers: isProviders, apis: isApis, ...isRest } = after;
  for (const member of membersOf(wasRest, isRest)) note({ kind: 'member', member }, (wasRest as Json)[member], (isRest as Json)[member]);
  for (const [id, was, is] of paired(asItems(wasProviders), asItems(isProviders))) note({ kind: 'provider', id }, was, is);
  for (const [id, was, is] of paired(asItems(wasApis), asItems(isApis))) {
    if (was === undefined || is === undefined) note({ kind: 'api', id }, was, is);
    else if (was !== is) noteApi(id, was, is, note);
  }
  if (wasProviders !== isProviders) note({ kind: 'order', of: 'providers' }, idsOf(asItems(wasProviders)), idsOf(asItems(isProviders)));
  if (wasApis !== isApis) note({ kind: 'order', of: 'apis' }, idsOf(asItems(wasApis)), idsOf(asItems(isApis)));
  return changes;
}

function noteApi(id: string, was: Identified, is: Identified, note: (at: ChangePlace, was: unknown, is: unknown) => void): void {
  const { operations: wasOperations, ...wasRest } = was as Identified & { operations: readonly Identified[] };
  const { operations: isOperations, ...isRest } = is as Identified & { operations: readonly Identified[] };
  for (const member of membersOf(wasRest, isRest)) note({ kind: 'api-member', id, member }, (wasRest as Json)[member], (isRest as Json)[member]);
  if (wasOperations === isOperations) return;
  for (const [operationId, one, other] of paired(wasOperations, isOperations)) if (one !== other) note({ kind: 'operation', id, operationId }, one, other);
  note({ kind: 'operation-order', id }, idsOf(wasOperations), idsOf(isOperations));
}

const membersOf = (one: object, other: object): string[] => [...new Set([...Object.keys(one), ...Object.keys(other)])];

function* paired(before: readonly Identified[], after: readonly Identified[]): Generator<readonly [string, Identified | undefined, Identified | undefined]> {
  const was = new Map(before.map((item) => [item.id, item]));
  const is = new Map(after.map((item) => [item.id, item]));
  for (const id of new Set([...was.keys(), ...is.keys()])) yield [id, was.get(id), is.get(id)];
}

/** A document with changes taken back, or what was changed again since and would be lost. */
export type Reverted = { readonly document: ReleaseDocument } | { readonly conflict: ChangePlace };

/** Takes changes back. Nothing that was changed again since is overwritten; orders are restored as far as they can be. */
export function revertChanges(document: ReleaseDocument, changes: readonly DocumentChange[]): Reverted {
  const { providers, apis, ...rest } = document;
  const parts: Parts = { rest: { ...rest }, providers: mapOf(asItems(providers)), apis: mapOf(asItems(apis)) };
  const orders: DocumentChange[] = [];
  for (const change of changes) {
    if (change.at.kind === 'order' || change.at.kind === 'operation-order') orders.push(change);
    else if (!revertOne(parts, change)) return { conflict: change.at };
  }
  for (const { at, before } of orders) {
    const order = Array.isArray(before) ? (before as string[]) : [];
    if (at.kind === 'order') parts[at.of] = ordered(parts[at.of], order);
    else if (at.kind === 'operation-order') reorderOperations(parts.apis, at.id, order);
  }
  return { document: { ...parts.rest, providers: [...parts.providers.values()], apis: [...parts.apis.values()] } as unknown as ReleaseDocument };
}

interface Parts {
  readonly rest: Record<string, unknown>;
  providers: Map<string, Identified>;
  apis: Map<string, Identified>;
}

/** @returns false when what stands there now is not what the change made of it */
function revertOne(parts: Parts, { at, before, after }: DocumentChange): boolean {
  switch (at.kind) {
    case 'member':
      return put(parts.rest, at.member, before, after);
    case 'provider':
      return putItem(parts.providers, at.id, before, after);
    case 'api':
      return putItem(parts.apis, at.id, before, after);
    case 'api-member': {
      const api = parts.apis.get(at.id);
      const changed = api && { ...api };
      if (!changed || !put(changed, at.member, before, after)) return false;
      parts.apis.set(at.id, changed);
      return true;
    }
    case 'operation': {
      const api = parts.apis.get(at.id);
      if (!api) return false;
      const operations = mapOf(api['operations'] as readonly Identified[]);
      if (!putItem(operations, at.operationId, before, after)) return false;
      parts.apis.set(at.id, { ...api, operations: [...operations.values()] });
      return true;
    }
    default:
      return true;
  }
}

const mapOf = (items: readonly Identified[]): Map<string, Identified> => new Map(items.map((item) => [item.id, item]));

function put(owner: Record<string, unknown>, member: string, before: unknown, after: unknown): boolean {
  if (!same(owner[member], after)) return false;
  if (before === undefined) delete owner[member];
  else owner[member] = before;
  return true;
}

function putItem(items: Map<string, Identified>, id: string, before: unknown, after: unknown): boolean {
  if (!same(items.get(id), after)) return false;
  if (before === undefined) items.delete(id);
  else items.set(id, before as Identified);
  return true;
}

/** Items in an order; those that it does not name follow. */
function ordered(items: Map<string, Identified>, order: readonly string[]): Map<string, Identified> {
  const known = order.flatMap((id) => items.get(id) ?? []);
  return mapOf([...known, ...[...items.values()].filter((item) => !order.includes(item.id))]);
}

function reorderOperations(apis: Map<string, Identified>, id: string, order: readonly string[]): void {
  const api = apis.get(id);
  if (!api) return;
  const operations = ordered(mapOf(api['operations'] as readonly Identified[]), order);
  apis.set(id, { ...api, operations: [...operations.values()] });
}
