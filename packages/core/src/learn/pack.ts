import { isRecord } from '../util/json-pointer.js';

/** The only member of what stands for a map in JSON; nothing else that is learned has a member of this name. */
const MAP = '~';

/** What was learned as JSON: maps by their entries, a time that never was as null. */
export const pack = (value: unknown): string =>
  JSON.stringify(value, (_, one: unknown) => (one instanceof Map ? { [MAP]: [...(one as Map<unknown, unknown>)] } : one === Infinity ? null : one));

/** What `pack` wrote. Its form is not checked: it comes from a node that is known, or from this program's own store. @throws SyntaxError */
export const unpack = <T>(text: string): T =>
  JSON.parse(text, (key, one: unknown) => {
    if (key === 'first' && one === null) return Infinity;
    // What was kept before callers were told apart of each thing names none.
    if (isRecord(one) && one['days'] instanceof Map && one['callers'] === undefined) return { ...one, callers: new Map() };
    return isRecord(one) && Array.isArray(one[MAP]) ? new Map(one[MAP] as [unknown, unknown][]) : one;
  }) as T;
