import { ConfigError } from '../util/config-error.js';
import { LenientIndex } from './lenient-index.js';
import { OperationTree } from './operation-tree.js';
import { isMoreSpecific, matchesTemplate, type TemplateSegment } from './path-template.js';

/** What a path led to. `ambiguous` names the operation that a lenient upstream could run instead of the one found. */
export type RouteMatch<T, A> =
  | { readonly kind: 'found'; readonly target: T; readonly area: A; readonly parameters: readonly string[] }
  | { readonly kind: 'no-method'; readonly area: A; readonly methods: readonly string[] }
  /** `readAs` names an operation that a lenient reader could take the path for all the same; null for none. */
  | { readonly kind: 'no-path'; readonly area: A; readonly readAs: () => T | null }
  | { readonly kind: 'no-area'; readonly area: null }
  | { readonly kind: 'ambiguous'; readonly area: A; readonly target: T; readonly other: T };

/** Where an area lies: below `base` on this gateway, below `prefix` at the upstream of this origin. */
export interface AreaPlace {
  readonly base: readonly TemplateSegment[];
  readonly origin: string;
  readonly prefix: readonly TemplateSegment[];
}

interface Area<T, A> {
  readonly value: A;
  readonly base: readonly string[];
  readonly baseTemplate: readonly TemplateSegment[];
  readonly prefix: readonly string[];
  readonly prefixTemplate: readonly TemplateSegment[];
  readonly upstream: LenientIndex<Leaf<T, A>>;
  readonly tree: OperationTree<Leaf<T, A>>;
}

/** One template of one operation. Two with the same `rule` are let through by the same checks. */
interface Leaf<T, A> {
  readonly area: Area<T, A>;
  readonly method: string;
  readonly target: T;
  readonly rule: unknown;
  /** As the upstream knows it: its prefix, then the operation's path. */
  readonly atUpstream: readonly TemplateSegment[];
  /** As it stands below its area's base. */
  readonly template: readonly TemplateSegment[];
  /** Whether some path of it could be read as another operation; unknown until the router is complete. */
  contested: boolean;
}

interface BaseNode<T, A> {
  readonly fixed: Map<string, BaseNode<T, A>>;
  area: Area<T, A> | null;
}

/**
 * Chooses the API by its base, the longest that fits, and then the operation inside it. What was chosen is never left:
 * each API has a tree of its own. What is found is then held against every operation that an upstream could take the
 * path for; where that is another one under another rule, the request is refused. `T` is what an operation compiles to, `A` what an API does.
 */
export class Router<T, A> {
  readonly #bases: BaseNode<T, A> = { fixed: new Map(), area: null };
  readonly #gateway = new LenientIndex<Leaf<T, A>>();
  readonly #upstreams = new Map<string, LenientIndex<Leaf<T, A>>>();
  readonly #leaves: Leaf<T, A>[] = [];
  #areas = 0;

  /**
   * @returns what adds operations to the area; `rule` is one value for all operations with the same checks
   * @throws ConfigError at `pointer` when another area has the same base
   */
  addArea(place: AreaPlace, value: A, pointer: string): (template: readonly TemplateSegment[], method: string, target: T, rule: unknown, at: string) => void {
    const base = fixedTexts(place.base);
    let node = this.#bases;
    for (const text of base) {
      let child = node.fixed.get(text);
      if (!child) node.fixed.set(text, (child = { fixed: new Map(), area: null }));
      node = child;
    }
    if (node.area !== null) throw new ConfigError(pointer, 'another API has the same base path');
    let upstream = this.#upstreams.get(place.origin);
    if (!upstream) this.#upstreams.set(place.origin, (upstream = new LenientIndex()));
    const area: Area<T, A> = {
      value,
      base,
      baseTemplate: place.base,
      prefix: fixedTexts(place.prefix),
      prefixTemplate: place.prefix,
      upstream,
      tree: new OperationTree(),
    };
    node.area = area;
    this.#areas++;
    return (template, method, target, rule, at) => this.#add(area, template, method, target, rule, at);
  }

  #add(area: Area<T, A>, template: readonly TemplateSegment[], method: string, target: T, rule: unknown, pointer: string): void {
    const atUpstream = area.prefix.length === 0 ? template : [...area.prefixTemplate, ...template];
    const leaf: Leaf<T, A> = { area, method, target, rule, atUpstream, template, contested: true };
    area.tree.add(template, leaf, pointer);
    area.upstream.add(atUpstream, leaf);
    this.#leaves.push(leaf);
  }

  /** Finds once which operations are alone in what they answer, so that their requests need not be compared. Yields between operations. */
  *complete(): Generator<void, void> {
    // With one API alone there is no other that a spelling of its base could lead to.
    const several = this.#areas > 1;
    if (several) {
      for (const leaf of this.#leaves) {
        this.#gateway.add(atGateway(leaf), leaf);
        yield;
      }
    }
    for (const leaf of this.#leaves) {
      const rival = (other: Leaf<T, A>): boolean => couldRun(leaf.method, other.method) && isRivalAtUpstream(leaf, other, null);
      const stranger = (other: Leaf<T, A>): boolean => couldRun(leaf.method, other.method) && isRivalAtGateway(leaf, other, leaf.area.base);
      leaf.contested =
        leaf.area.upstream.overlapping(leaf.atUpstream, rival) !== null || (several && this.#gateway.overlapping(atGateway(leaf), stranger) !== null);
      yield;
    }
  }

  /** @param odd whether segments can be read as nothing, which operations are not compared for when the router is completed */
  find(segments: readonly string[], method: string, odd = false): RouteMatch<T, A> {
    let node: BaseNode<T, A> | undefined = this.#bases;
    let area = node.area;
    for (const segment of segments) {
      node = node.fixed.get(segment);
      if (!node) break;
      if (node.area) area = node.area;
    }
    if (!area) return { kind: 'no-area', area: null };
    const match = area.tree.find(segments, area.base.length, method);
    if (match.kind === 'no-path') return this.#noPath(area, segments);
    if (match.kind !== 'found') return { ...match, area: area.value };
    const { target: leaf, parameters } = match;
    const other = leaf.contested || odd ? this.#rivalOf(leaf, segments, method) : null;
    if (other) return { kind: 'ambiguous', area: area.value, target: leaf.target, other: other.target };
    return { kind: 'found', target: leaf.target, area: area.value, parameters };
  }

  #noPath(area: Area<T, A>, segments: readonly string[]): RouteMatch<T, A> {
    return { kind: 'no-path', area: area.value, readAs: () => this.#readAs(area, segments) };
  }

  /** Any operation that a reader of a path which none matches could take it for, whatever its method. */
  #readAs(area: Area<T, A>, segments: readonly string[]): T | null {
    const up = [...area.prefix, ...segments.slice(area.base.length)];
    const leaf = area.upstream.find(up, () => true) ?? this.#gateway.find(segments, (other) => other.area !== area);
    return leaf?.target ?? null;
  }

  /** Another operation that a reader of this path could run, in the upstream's eyes or in those of a gateway as lenient. */
  #rivalOf(leaf: Leaf<T, A>, segments: readonly string[], method: string): Leaf<T, A> | null {
    const { area } = leaf;
    const up = [...area.prefix, ...segments.slice(area.base.length)];
    return (
      area.upstream.find(up, (other) => couldRun(method, other.method) && isRivalAtUpstream(leaf, other, up)) ??
      this.#gateway.find(segments, (other) => couldRun(method, other.method) && isRivalAtGateway(leaf, other, segments))
    );
  }
}

const atGateway = <T, A>({ area, template }: Leaf<T, A>): readonly TemplateSegment[] => [...area.baseTemplate, ...template];
const fixedTexts = (template: readonly TemplateSegment[]): string[] => template.map((segment) => (segment.kind === 'fixed' ? segment.text : ''));

/** A handler of GET also answers HEAD (RFC 9110 section 9.3.2). */
const couldRun = (asked: string, method: string): boolean => asked === method || (asked === 'HEAD' && method === 'GET');

/**
 * Whether `other` is another operation that every reader need not rank behind `leaf`. Where both match to the letter and
 * have the same rule, it makes no difference which of them runs.
 * @param path the path in question; null asks for all paths
 */
function isRivalAtUpstream<T, A>(leaf: Leaf<T, A>, other: Leaf<T, A>, path: readonly string[] | null): boolean {
  if (other.target === leaf.target || isMoreSpecific(leaf.atUpstream, other.atUpstream)) return false;
  return path === null || other.rule !== leaf.rule || !matchesTemplate(other.atUpstream, path);
}

/** Bases are told apart before anything else, so only another spelling of one can lead to another API. */
function isRivalAtGateway<T, A>(leaf: Leaf<T, A>, other: Leaf<T, A>, path: readonly string[]): boolean {
  return other.area !== leaf.area && !other.area.base.every((text, index) => path[index] === text);
}
