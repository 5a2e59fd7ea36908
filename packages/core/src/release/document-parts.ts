import type { ApiRule, OperationRule, ReleaseDocument } from '../document/release-document.js';
import { isRecord } from '../util/json-pointer.js';

/** Operations in one part: reading so many at one time keeps nobody waiting. */
export const PART_OPERATIONS = 100;
/** An API with so few operations keeps them: a part of its own would cost more than it spares, and many APIs must not make too many parts. */
const KEPT_OPERATIONS = 25;
/** Parts that one document may have. */
export const MAX_PARTS = 2000;

/**
 * A release document on its way. In place of operations may stand the SHA-256 (base64url) of the JSON text of a list of
 * them, so that whoever has the list already need not be sent it again.
 */
export interface CarriedDocument extends Omit<ReleaseDocument, 'apis'> {
  readonly apis: readonly (Omit<ApiRule, 'operations'> & { readonly operations: readonly (OperationRule | string)[] })[];
}

/** A document and the JSON texts of its parts by hash. */
export interface SplitDocument {
  readonly carried: CarriedDocument;
  readonly parts: ReadonlyMap<string, string>;
}

/** Takes the operations out of a document, in lists of at most 100. One with few operations stays whole, and so does each API with few. */
export function splitDocument(document: ReleaseDocument, digest: (text: string) => string): SplitDocument {
  const parts = new Map<string, string>();
  const count = document.apis.reduce((sum, { operations }) => sum + operations.length, 0);
  if (count <= PART_OPERATIONS) return { carried: document, parts };
  const hashesOf = ({ operations }: ApiRule): readonly (OperationRule | string)[] => {
    if (operations.length <= KEPT_OPERATIONS) return operations;
    const hashes: string[] = [];
    for (let from = 0; from < operations.length; from += PART_OPERATIONS) {
      const text = JSON.stringify(operations.slice(from, from + PART_OPERATIONS));
      const hash = digest(text);
      parts.set(hash, text);
      hashes.push(hash);
    }
    return hashes;
  };
  return { carried: { ...document, apis: document.apis.map((api) => ({ ...api, operations: hashesOf(api) })) }, parts };
}

const apisOf = (carried: unknown): readonly unknown[] => (isRecord(carried) && Array.isArray(carried['apis']) ? (carried['apis'] as readonly unknown[]) : []);
const operationsOf = (api: unknown): readonly unknown[] => (isRecord(api) && Array.isArray(api['operations']) ? (api['operations'] as readonly unknown[]) : []);

/** Hashes of the parts that a document names, each once, in order. */
export function partsNamed(carried: unknown): readonly string[] {
  const named = apisOf(carried).flatMap((api) => operationsOf(api).filter((one) => typeof one === 'string'));
  return [...new Set(named)];
}

/**
 * Puts the parts back. What is no document, and a part that is not there, stay as they are: reading the document refuses them.
 * @param part the list of operations with a hash
 */
export function joinDocument(carried: unknown, part: (hash: string) => readonly OperationRule[] | undefined): unknown {
  if (!isRecord(carried) || partsNamed(carried).length === 0) return carried;
  const joined = (api: unknown): unknown =>
    isRecord(api) && Array.isArray(api['operations'])
      ? { ...api, operations: operationsOf(api).flatMap((one): readonly unknown[] => (typeof one === 'string' ? (part(one) ?? [one]) : [one])) }
      : api;
  return { ...carried, apis: apisOf(carried).map(joined) };
}
