import { joinOperations, newOperation, sawRequest, type SeenOperation } from './seen-operation.js';
import type { Sighting } from './sighting.js';
import { isIdentifier } from './text-kind.js';

/** What stands for a parameter in a path that was learned: of values by their own form, and of names that are many at one place. */
export const PARAMETER = '{}';
export const ONE_OF_MANY = '{*}';

export const isParameter = (segment: string): boolean => segment === PARAMETER || segment === ONE_OF_MANY;

/** How much is told apart of the paths of one API. */
export const PATH_LIMITS = {
  /** Different operations. */
  operations: 500,
  /** Segments of a path. */
  segments: 20,
  /** So many different names at one place that lead to the same are values of one parameter. */
  alike: 10,
  /** So many are, wherever they lead. */
  names: 60,
} as const;

/** Which share of the names at one place must lead to the same. */
const ALIKE_SHARE = 0.8;

/** Requests up to which an operation counts as hardly seen. */
const HARDLY = 2;

/** One operation that was learned. */
export interface LearnedEntry {
  /** Begins with a slash; parameters are `{}` and `{*}`. */
  readonly path: string;
  readonly operation: SeenOperation;
}

/** Method and path: what an operation that was learned is known by. */
export const learnedKey = (method: string, path: string): string => `${method} ${path}`;

const plainSegment = (segment: string): string => (!isParameter(segment) && segment !== '' && isIdentifier(segment) ? PARAMETER : segment);

/** A path with parameters in place of what is a value by its own form. */
export const plainTemplate = (path: string): string => path.split('/').map(plainSegment).join('/');

/** One place of the tree of paths. */
interface Place {
  readonly segment: string;
  readonly above: Place | null;
  readonly below: Map<string, Place>;
  /** Operations whose path ends here, by method. */
  readonly entries: Map<string, LearnedEntry>;
  /** Operations that were added below since names here were compared. */
  added: number;
}

const newPlace = (segment: string, above: Place | null): Place => ({ segment, above, below: new Map(), entries: new Map(), added: 0 });

/** Names at one place are compared again when so many operations were added below as this share of them. */
const COMPARE_SHARE = 0.1;

/**
 * Learns paths: what is a value by its own form becomes a parameter at once, what is one of many at its place does so when they are
 * many. Memory is bounded whatever callers ask for; what there is no room for is counted.
 */
export class PathLearner {
  readonly #root = newPlace('', null);
  readonly #entries = new Map<string, LearnedEntry>();
  readonly #changed = new Set<string>();
  /** Requests whose operation there was no room for. */
  unplaced = 0;

  get entries(): ReadonlyMap<string, LearnedEntry> {
    return this.#entries;
  }

  /** Keys that were added, changed or taken away since this was asked last. */
  takeChanged(): string[] {
    const changed = [...this.#changed];
    this.#changed.clear();
    return changed;
  }

  see(sighting: Sighting): void {
    const given = sighting.path.split('/').slice(1);
    this.#take(sighting.method, given, 1, (operation, template) => {
      const values = given.filter((_, index) => isParameter(template[index] as string)).map(decoded);
      sawRequest(operation, sighting, values);
    });
  }

  /** Adds what somebody else learned. */
  join(path: string, operation: SeenOperation): void {
    const given = path.split('/').slice(1);
    this.#take(operation.method, given, operation.seen, (own, template) => joinOperations(own, withParameters(operation, given, template)));
  }

  /** Forgets an operation. */
  forget(key: string): void {
    const entry = this.#entries.get(key);
    if (entry) this.#remove(entry);
  }

  #take(method: string, given: readonly string[], requests: number, add: (operation: SeenOperation, template: readonly string[]) => void): void {
    const template = this.#templateOf(method, given);
    const known = this.#entries.get(learnedKey(method, `/${template.join('/')}`));
    const entry = known ?? (given.length > PATH_LIMITS.segments ? null : this.#add(method, template));
    if (entry === null) {
      this.unplaced += requests;
      return;
    }
    add(entry.operation, template);
    this.#changed.add(learnedKey(method, entry.path));
    if (known === undefined) this.#spread(template);
  }

  /**
   * Segments with parameters in place of values. Where names were found to be values, a new name that leads to the same is one too;
   * those that were there before, and what leads elsewhere, stay names.
   */
  #templateOf(method: string, segments: readonly string[]): readonly string[] {
    const plain = segments.map(plainSegment);
    const among: string[] = [];
    let place: Place | undefined = this.#root;
    for (const segment of plain) {
      const many: Place | undefined = place.below.get(ONE_OF_MANY);
      const next: Place | undefined = many && segment !== '' && (isParameter(segment) || !place.below.has(segment)) ? many : place.below.get(segment);
      if (next === undefined) return plain;
      among.push(next.segment);
      place = next;
    }
    return place.entries.has(method) ? among : plain;
  }

  #add(method: string, template: readonly string[]): LearnedEntry | null {
    if (this.#entries.size >= PATH_LIMITS.operations && !this.#makeRoom()) return null;
    let place = this.#root;
    for (const segment of template) {
      place.added++;
      let next = place.below.get(segment);
      if (!next) place.below.set(segment, (next = newPlace(segment, place)));
      place = next;
    }
    const entry = { path: `/${template.join('/')}`, operation: newOperation(method) };
    place.entries.set(method, entry);
    this.#entries.set(learnedKey(method, entry.path), entry);
    return entry;
  }

  #remove({ path, operation }: LearnedEntry): void {
    const key = learnedKey(operation.method, path);
    this.#entries.delete(key);
    this.#changed.add(key);
    let place: Place | null = this.#placeAt(path.split('/').slice(1));
    place?.entries.delete(operation.method);
    while (place?.above && place.entries.size === 0 && place.below.size === 0) {
      place.above.below.delete(place.segment);
      place = place.above;
    }
  }

  #placeAt(template: readonly string[]): Place | null {
    let place: Place | undefined = this.#root;
    for (const segment of template) if ((place = place.below.get(segment)) === undefined) return null;
    return place;
  }

  /** Lets go of what was hardly seen, longest ago: callers who ask for everything do not crowd out what is used. */
  #makeRoom(): boolean {
    let oldest: LearnedEntry | null = null;
    for (const entry of this.#entries.values())
      if (entry.operation.seen <= HARDLY && (oldest === null || entry.operation.last < oldest.operation.last)) oldest = entry;
    if (oldest === null) return false;
    this.unplaced += oldest.operation.seen;
    this.#remove(oldest);
    return true;
  }

  /** Makes a parameter of a place where many names lead to the same, or where there are too many. */
  #spread(template: readonly string[]): void {
    let place: Place | undefined = this.#root;
    for (const segment of template) {
      const found = place.added < place.below.size * COMPARE_SHARE ? NO_NAMES : manyOf(place);
      if (place.added >= place.below.size * COMPARE_SHARE) place.added = 0;
      if (found.length > 0) return this.#fold(place, found);
      if ((place = place.below.get(segment)) === undefined) return;
    }
  }

  #fold(above: Place, names: readonly string[]): void {
    const moved: LearnedEntry[] = [];
    for (const name of names) moved.push(...entriesBelow(above.below.get(name)));
    const depth = depthOf(above);
    for (const entry of moved) this.#remove(entry);
    for (const { path, operation } of moved) {
      const given = path.split('/').slice(1);
      const template = given.map((segment, index) => (index === depth ? ONE_OF_MANY : segment));
      const key = learnedKey(operation.method, `/${template.join('/')}`);
      const entry = this.#entries.get(key) ?? this.#add(operation.method, template);
      this.#changed.add(key);
      if (entry) joinOperations(entry.operation, withParameters(operation, given, template));
      else this.unplaced += operation.seen;
    }
  }
}

const NO_NAMES: readonly string[] = Object.freeze([]);

function depthOf(place: Place): number {
  let depth = 0;
  for (let above = place.above; above !== null; above = above.above) depth++;
  return depth;
}

function entriesBelow(place: Place | undefined): LearnedEntry[] {
  if (place === undefined) return [];
  return [...place.entries.values(), ...[...place.below.values()].flatMap(entriesBelow)];
}

/** The names at one place that are values of one parameter; none where they are not. */
function manyOf({ below }: Place): readonly string[] {
  const values = below.has(PARAMETER) ? [PARAMETER] : [];
  const literal = below.size < PATH_LIMITS.alike ? [] : [...below.keys()].filter((name) => !isParameter(name) && name !== '');
  if (literal.length < PATH_LIMITS.alike) return below.has(ONE_OF_MANY) ? values : [];
  const byTails = new Map<string, string[]>();
  for (const name of literal) {
    const tails = tailsOf(below.get(name));
    const own = byTails.get(tails);
    if (own) own.push(name);
    else byTails.set(tails, [name]);
  }
  const alike = [...byTails.values()].reduce((most, own) => (own.length > most.length ? own : most));
  if (alike.length >= PATH_LIMITS.alike && alike.length >= literal.length * ALIKE_SHARE) return [...alike, ...values];
  if (literal.length < PATH_LIMITS.names) return [];
  // Whoever asks for everything does not take away the names of what is used.
  const hardly = literal.filter((name) => entriesBelow(below.get(name)).reduce((sum, { operation }) => sum + operation.seen, 0) <= HARDLY);
  return hardly.length >= PATH_LIMITS.alike ? [...hardly, ...values] : [];
}

/** Where a place leads, in one text: equal for places that lead to the same. */
function tailsOf(place: Place | undefined): string {
  if (place === undefined) return '';
  const own = [...place.entries.keys()].sort().join('+');
  const below = [...place.below].map(([segment, next]) => `${segment}(${tailsOf(next)})`).sort();
  return `${own} ${below.join(' ')}`;
}

/** An operation whose path has parameters where names stood: the names become their values. */
function withParameters(operation: SeenOperation, given: readonly string[], template: readonly string[]): SeenOperation {
  if (!template.some((segment, index) => isParameter(segment) && !isParameter(given[index] as string))) return operation;
  const path: SeenOperation['path'] = [];
  let known = 0;
  template.forEach((segment, index) => {
    if (!isParameter(segment)) return;
    const name = given[index] as string;
    if (isParameter(name)) {
      const own = operation.path[known++];
      if (own) path.push(own);
      return;
    }
    // Every request of it had this value.
    const { seen, first, last, days } = operation;
    const one = newOperation(operation.method);
    sawRequest(one, { ...EMPTY, at: first }, [decoded(name)]);
    const parameter = one.path[0] as SeenOperation['path'][number];
    for (const [kind] of parameter.kinds) parameter.kinds.set(kind, seen);
    path.push({ ...parameter, seen, first, last, days: new Map(days) });
  });
  return { ...operation, path };
}

const EMPTY: Sighting = { at: 0, method: '', path: '/', query: [], headers: [], request: null, status: 0, answer: null, caller: '', credentials: [] };

function decoded(segment: string): string {
  try {
    return decodeURIComponent(segment);
  } catch {
    return segment;
  }
}
