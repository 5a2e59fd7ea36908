import type { CompiledOperation } from '../decision/compiled.js';
import type { Code, Finding } from '../verdict/codes.js';
import type { KnownFacts } from '../suppose/supposed-caller.js';
import type { SupposedCall, SupposedOutcome, Supposition } from '../suppose/supposition.js';
import type { Awaitable } from '../util/awaitable.js';
import { CHANGE_KINDS, type Change, type ChangeKind } from './change.js';
import { changesOf } from './changes-of.js';

/** Bounds of one search: decisions that it takes, changes of one way, ways that it gives. */
export const SEARCH_BOUNDS = { decisions: 6000, changes: 8, ways: 6, starts: 8 } as const;

/** A smallest set of changes with which a call passes. */
export interface LetThrough {
  /** What would have to be otherwise, each with others that would do in its place. */
  readonly changes: readonly { readonly kind: ChangeKind; readonly words: string; readonly or: readonly string[] }[];
  /** What the way still hangs on, where authorizers cannot be asked. */
  readonly hangsOn: readonly string[];
}

/** What a search came to. */
export interface Searched {
  readonly ways: readonly LetThrough[];
  /** Whether it was ended before all was tried: what was not found may be there all the same. */
  readonly cut: boolean;
}

interface Tried {
  readonly passes: boolean;
  /** How far the call came: steps taken, and how far it came in the last. */
  readonly steps: number;
  readonly depth: number;
  /** What it was refused for, in full. */
  readonly refusal: string;
  readonly hangsOn: readonly string[];
}

/** The facts that a decision hung on, where it passed no further than that nobody knows them. */
export function hangsOn({ exchange: { steps } }: SupposedOutcome): readonly string[] {
  let facts: Set<string> | null = null;
  for (const { finding, mode } of steps) {
    const { code, operands } = finding;
    if (mode !== 'enforce') continue;
    if (code === 'condition.not-known') for (const fact of operands.facts) (facts ??= new Set()).add(fact);
    else if (code === 'authorizer.not-known') (facts ??= new Set()).add(`what ${operands.name} says`);
    else if (code === 'address.not-known') (facts ??= new Set()).add('the address');
  }
  return facts === null ? NOTHING : [...facts];
}

const NOTHING: readonly string[] = Object.freeze([]);
const NOT_TRIED: readonly string[] = Object.freeze(['more than was tried']);

/** What a search may change, and when it has gone on long enough. */
export interface SearchWanted {
  readonly kinds?: readonly ChangeKind[];
  /** Asked before each decision: scripts may take their time. */
  readonly isOver?: () => boolean;
}

const never = (): boolean => false;

/** Codes of steps that look at several things, in the order in which they do. */
const ORDER: readonly Code[] = [
  'token.issuer-not-accepted',
  'token.algorithm-refused',
  'token.id-token',
  'token.type-wrong',
  'token.audience-missing',
  'token.audience-wrong',
  'token.expiry-missing',
  'token.expired',
  'token.not-yet-valid',
  'token.issued-in-future',
  'claims.revoked',
  'claims.client-off',
  'claims.client',
  'claims.too-old',
  'claims.missing',
  'claims.value',
  'claims.step-up',
  'rights.nothing-proved',
  'rights.provider-not-accepted',
  'rights.credential-missing',
  'rights.scope-missing',
  'rights.role-missing',
];
const STEP = 1000;

/** How far a refusal is within its step: behind what it found in order already, and short of what it still misses. */
function depthOf({ code, operands }: Finding, { token: { claims } }: CompiledOperation): number {
  const at = ORDER.indexOf(code) * STEP;
  if (code === 'rights.scope-missing' || code === 'rights.credential-missing') return at - operands.missing.length;
  if (code === 'claims.step-up') return at - (operands.because === 'both' ? 2 : 1);
  // A claim without the right value is as far as one that is missing: the next demand is what is further.
  if (code === 'claims.missing' || code === 'claims.value')
    return ORDER.indexOf('claims.missing') * STEP + claims.findIndex(({ path }) => path === operands.claim);
  return at;
}

/**
 * The smallest changes with which a refused call would pass, each found by deciding again. The search goes from change to
 * change, taking what brings the call furthest, and takes away again what was not needed; it begins once with the call as it
 * is and once with each other credential.
 */
export async function letThrough(
  supposition: Supposition,
  call: SupposedCall,
  facts: KnownFacts,
  { kinds = CHANGE_KINDS, isOver = never }: SearchWanted = {},
): Promise<Searched> {
  const all = changesOf(call, supposition, facts).filter(({ kind }) => kinds.includes(kind));
  const search = new Search(supposition, call, isOver);
  const begun = await search.try([]);
  if (begun.passes) return { ways: [], cut: false };
  const ways: (readonly Change[])[] = [];
  const add = (way: readonly Change[] | null): void => {
    if (way && !ways.some((known) => known.every((change) => way.includes(change)))) ways.push(way);
  };
  const credentials = all.filter(({ kind }) => kind === 'credential');
  const others = all.filter(({ kind }) => kind !== 'credential');
  for (const change of await search.alone(others)) add([change]);
  add(await search.climb([], others));
  for (const start of credentials.slice(0, SEARCH_BOUNDS.starts)) add(await search.climb([start], others));
  // Where a combination of credentials is asked for, one alone gets nowhere.
  if (ways.length === 0) add(await search.climb([], all));
  const found: LetThrough[] = [];
  for (const way of ways.sort((a, b) => a.length - b.length).slice(0, SEARCH_BOUNDS.ways)) {
    // What was found as another choice within an earlier way is no way of its own.
    if (
      found.some(
        ({ changes }) => changes.length === way.length && way.every(({ words }) => changes.some((one) => one.words === words || one.or.includes(words))),
      )
    )
      continue;
    const tried = await search.try(way);
    const changes = [];
    for (const change of way) changes.push({ kind: change.kind, words: change.words, or: await search.insteadOf(change, way, all) });
    found.push({ changes, hangsOn: tried.hangsOn });
  }
  return { ways: found, cut: search.isCut };
}

/** One way in by as few changes as are found, in words, and what it hangs on; null where there is none. Costs less than all ways. */
export async function leastWay(
  supposition: Supposition,
  call: SupposedCall,
  facts: KnownFacts,
  { kinds = CHANGE_KINDS, isOver = never }: SearchWanted,
): Promise<readonly string[] | null> {
  const search = new Search(supposition, call, isOver);
  const way = await search.climb(
    [],
    changesOf(call, supposition, facts).filter(({ kind }) => kinds.includes(kind)),
  );
  // What was not tried may let it in: that is no refusal.
  if (way === null) return search.isCut ? NOT_TRIED : null;
  return [...way.map(({ words }) => words), ...(await search.try(way)).hangsOn];
}

/** What a call is looked for by. */
export interface PassingWanted extends SearchWanted {
  /** Whether a call that passes is the one that is looked for. */
  readonly isMeant?: (call: SupposedCall) => Awaitable<boolean>;
}

/** Ways that are gone before a search for a certain one is given up. */
const TRIES = 6;

/** A call that passes, by as few changes as are found; null where none is. */
export async function firstPassing(
  supposition: Supposition,
  call: SupposedCall,
  facts: KnownFacts,
  { kinds = CHANGE_KINDS, isOver = never, isMeant = () => true }: PassingWanted,
): Promise<SupposedCall | null> {
  const search = new Search(supposition, call, isOver);
  if ((await search.try([])).passes && (await isMeant(call))) return call;
  let from = changesOf(call, supposition, facts).filter(({ kind }) => kinds.includes(kind));
  for (let tries = 0; tries < TRIES; tries++) {
    const way = await search.climb([], from);
    const found = way?.reduce<SupposedCall | null>((made, change) => made && change.apply(made), call) ?? null;
    if (way === null || found === null) return null;
    if (await isMeant(found)) return found;
    // What came last let it in for another reason than is looked for.
    const last = way[way.length - 1];
    from = from.filter((change) => change !== last);
  }
  return null;
}

class Search {
  readonly #supposition: Supposition;
  readonly #call: SupposedCall;
  readonly #isOver: () => boolean;
  #left: number = SEARCH_BOUNDS.decisions;

  constructor(supposition: Supposition, call: SupposedCall, isOver: () => boolean) {
    this.#supposition = supposition;
    this.#call = call;
    this.#isOver = isOver;
  }

  /** Whether no more is tried. */
  get isCut(): boolean {
    return this.#left <= 0;
  }

  /** Decides the call with changes. */
  async try(changes: readonly Change[]): Promise<Tried> {
    let call: SupposedCall | null = this.#call;
    for (const change of changes) call = call && change.apply(call);
    if (call === null) return NOWHERE;
    this.#left = this.#isOver() ? 0 : this.#left - 1;
    const outcome = await this.#supposition.decide(call);
    const { verdict, exchange } = outcome;
    return {
      passes: verdict.kind === 'forward',
      steps: exchange.steps.length,
      depth: depthOf(verdict.finding, call.operation),
      refusal: JSON.stringify(verdict.finding),
      hangsOn: hangsOn(outcome),
    };
  }

  /** Changes that are enough by themselves, the first of each kind of thing. */
  async alone(from: readonly Change[]): Promise<Change[]> {
    const enough: Change[] = [];
    for (const change of from) {
      if (this.#left <= 0) break;
      if (!enough.some(({ slot }) => slot === change.slot) && (await this.try([change])).passes) enough.push(change);
    }
    return enough;
  }

  /**
   * Goes on from a set of changes until the call passes; null where nothing brings it further. Where no change does, one that
   * is refused for something new counts: that is how far a script or a condition shows.
   */
  async climb(start: readonly Change[], from: readonly Change[]): Promise<readonly Change[] | null> {
    let way = start;
    let at = await this.try(way);
    const refused = new Set([at.refusal]);
    while (!at.passes && way.length < SEARCH_BOUNDS.changes) {
      let best: Step | null = null;
      let aside: Step | null = null;
      for (const change of from) {
        if (way.some(({ slot }) => slot === change.slot) || this.#left <= 0) continue;
        const tried = await this.try([...way, change]);
        if (isFurther(tried, best?.tried ?? at)) best = { change, tried };
        else if (aside === null && isBeside(tried, at) && !refused.has(tried.refusal)) aside = { change, tried };
        if (best?.tried.passes) break;
      }
      const next: Step | null = best ?? aside;
      if (next === null) return null;
      way = [...way, next.change];
      at = next.tried;
      refused.add(at.refusal);
    }
    return at.passes ? this.#smallest(way) : null;
  }

  async #smallest(way: readonly Change[]): Promise<readonly Change[]> {
    let left = way;
    for (const change of way) {
      const fewer = left.filter((one) => one !== change);
      if ((await this.try(fewer)).passes) left = fewer;
    }
    return left;
  }

  /** What would do in place of one change of a way. */
  async insteadOf(change: Change, way: readonly Change[], all: readonly Change[]): Promise<string[]> {
    const words: string[] = [];
    for (const other of all) {
      if (other === change || other.slot !== change.slot || other.kind !== change.kind || words.length >= 4 || this.#left <= 0 || change.kind === 'hour')
        continue;
      if ((await this.try(way.map((one) => (one === change ? other : one)))).passes && other.words !== change.words) words.push(other.words);
    }
    return [...new Set(words)];
  }
}

const NOWHERE: Tried = { passes: false, steps: -1, depth: -Infinity, refusal: '', hangsOn: [] };

interface Step {
  readonly change: Change;
  readonly tried: Tried;
}

const isBeside = (one: Tried, than: Tried): boolean => !one.passes && one.steps === than.steps && one.depth === than.depth;

function isFurther(one: Tried, than: Tried): boolean {
  if (one.passes !== than.passes) return one.passes;
  return one.steps > than.steps || (one.steps === than.steps && one.depth > than.depth);
}
