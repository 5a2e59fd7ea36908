import { isRecord, valueAt } from '../util/json-pointer.js';

export type Json = Readonly<Record<string, unknown>>;

export const textOf = (value: unknown): string => (typeof value === 'string' ? value : '');
export const listOf = (value: unknown): unknown[] => (Array.isArray(value) ? (value as unknown[]) : []);
export const recordOf = (value: unknown): Json => (isRecord(value) ? value : {});

/** A reference is a URI; one with a bare percent sign is what it is. */
function decoded(reference: string): string {
  try {
    return decodeURIComponent(reference);
  } catch {
    return reference;
  }
}

/** What stands at a place of a description, behind its references, and what the last of them calls it; empty where there is none. */
export function follow(document: Json, value: unknown): { readonly value: Json; readonly name: string } {
  let one = value;
  let name = '';
  for (let turn = 0; turn < 20 && isRecord(one) && typeof one['$ref'] === 'string'; turn++) {
    const reference = decoded(one['$ref']);
    name = reference.slice(reference.lastIndexOf('/') + 1);
    one = reference.startsWith('#') ? valueAt(document, reference.slice(1)) : undefined;
  }
  return { value: recordOf(one), name };
}
