/** How often something was seen, when, and from whom. */
export interface Evidence {
  seen: number;
  /** First and last time, milliseconds since 1970. */
  first: number;
  last: number;
  /** How often on which day, by days since 1970 (UTC): of the last ones only. */
  readonly days: Map<number, number>;
  /** Who it came from or went to, with how many: as far as they are told apart. */
  readonly callers: Map<string, number>;
}

/** One message in which something was seen. @param at milliseconds since 1970 */
export interface SeenIn {
  readonly at: number;
  readonly caller: string;
}

/** Callers that are told apart of one thing, where nothing else is said. */
export const EVIDENCE_CALLERS = 8;

export const DAY_MS = 86_400_000;
/** Days that are told apart. */
export const KEPT_DAYS = 14;

export const newEvidence = (): Evidence => ({ seen: 0, first: Infinity, last: 0, days: new Map(), callers: new Map() });

/** Counts something once. */
export function saw(evidence: Evidence, { at, caller }: SeenIn, mostCallers = EVIDENCE_CALLERS): void {
  evidence.seen++;
  if (at < evidence.first) evidence.first = at;
  if (at > evidence.last) evidence.last = at;
  const day = Math.floor(at / DAY_MS);
  evidence.days.set(day, (evidence.days.get(day) ?? 0) + 1);
  if (evidence.days.size > KEPT_DAYS) forgetDays(evidence.days);
  countOne(evidence.callers, caller, mostCallers);
}

export function addEvidence(into: Evidence, from: Evidence, mostCallers = EVIDENCE_CALLERS): void {
  into.seen += from.seen;
  into.first = Math.min(into.first, from.first);
  into.last = Math.max(into.last, from.last);
  addCounts(into.days, from.days);
  forgetDays(into.days);
  addCounts(into.callers, from.callers, mostCallers);
}

function forgetDays(days: Map<number, number>): void {
  if (days.size <= KEPT_DAYS) return;
  const oldest = [...days.keys()].sort((a, b) => a - b).slice(0, days.size - KEPT_DAYS);
  for (const day of oldest) days.delete(day);
}

/** Adds counts by name. @param most names that are kept; more are left out */
export function addCounts<K>(into: Map<K, number>, from: ReadonlyMap<K, number>, most = Infinity): void {
  for (const [name, count] of from) {
    const before = into.get(name);
    if (before !== undefined || into.size < most) into.set(name, (before ?? 0) + count);
  }
}

/** Counts one of a name. */
export function countOne<K>(counts: Map<K, number>, name: K, most = Infinity): void {
  const before = counts.get(name);
  if (before !== undefined) counts.set(name, before + 1);
  else if (counts.size < most) counts.set(name, 1);
}

/** Joins what is known by name: what is new comes over as it is. */
export function joinByName<K, V>(into: Map<K, V>, from: ReadonlyMap<K, V>, join: (into: V, from: V) => void, most = Infinity): void {
  for (const [name, value] of from) {
    const before = into.get(name);
    if (before !== undefined) join(before, value);
    else if (into.size < most) into.set(name, value);
  }
}
