import { foldName } from '../message/field-spelling.js';
import type { Caller } from '../credential/caller.js';
import { PLATFORM_HEADERS, type HeaderEdit, type HeaderValue } from '../document/message-rule.js';
import { ownMember } from '../util/own-member.js';
import { finding, type FindingOf } from '../verdict/codes.js';

/** Changes of header fields in one direction, ready to be made. */
export interface CompiledLane {
  /** Whether a field that came does not go on, by its name in small letters. */
  readonly drops: (name: string) => boolean;
  /** Writes what is put in, as names and values in turn. */
  readonly write: (caller: Caller | null, out: string[]) => void;
  readonly said: { readonly set: readonly string[]; readonly added: readonly string[]; readonly removed: readonly string[] };
}

/** Characters of one value that is written from a caller; the values come from tokens. */
const MAX_VALUE = 2000;

/** Compiles a lane; null where it changes nothing. */
export function compileLane(edits: readonly HeaderEdit[], hidePlatform = false): CompiledLane | null {
  if (edits.length === 0 && !hidePlatform) return null;
  const removed = [...edits.filter(({ action }) => action === 'remove').map(({ name }) => name), ...(hidePlatform ? PLATFORM_HEADERS : [])];
  const set = edits.filter(({ action }) => action === 'set').map(({ name }) => name);
  const gone = new Set([...removed, ...set].map(foldName));
  // A field that is set twice has the last of its values, as a field that is set once and then again has.
  const writers = edits.flatMap((edit, index) => {
    if (edit.action === 'remove') return [];
    const later = edits.slice(index + 1).some((other) => other.action !== 'add' && other.name === edit.name);
    return later ? [] : [{ name: edit.name, value: edit.value }];
  });
  return {
    drops: (name) => gone.has(foldName(name)),
    write: (caller, out) => {
      for (const { name, value } of writers) {
        const text = valueOf(value, caller);
        if (text !== null) out.push(name, text);
      }
    },
    said: { set, added: edits.filter(({ action }) => action === 'add').map(({ name }) => name), removed },
  };
}

/** What a field is to hold; null where there is nothing to say. What no header can carry is written as a question mark. */
function valueOf(value: HeaderValue, caller: Caller | null): string | null {
  if (value.kind === 'text') return value.text;
  const text =
    value.kind === 'metadata' ? metadataText(caller?.metadata && ownMember(caller.metadata, value.name)) : callerText(caller?.[value.member] ?? null);
  return text === null ? null : text.slice(0, MAX_VALUE).replace(/[^\x20-\x7e]/g, '?');
}

function callerText(found: string | readonly string[] | null): string | null {
  if (found === null || found.length === 0) return null;
  return typeof found === 'string' ? found : found.join(' ');
}

/** A text, a number or a yes or no, or several of these; what is an object has no text. */
function metadataText(value: unknown): string | null {
  if (typeof value === 'string') return value === '' ? null : value;
  if (typeof value === 'number' || typeof value === 'boolean') return String(value);
  const items = Array.isArray(value) ? value.flatMap((item) => metadataText(item) ?? []) : [];
  return items.length === 0 ? null : items.join(' ');
}

/** What is said of a lane in a trace: names only. */
export const laneFinding = <C extends 'lane.up' | 'lane.back'>(code: C, { said }: CompiledLane): FindingOf<C> => finding(code, { ...said });
