import { ConfigError } from '../util/config-error.js';
import { matchAround, type TemplateSegment } from './path-template.js';

/** What a path led to. `ambiguous` names the fixed segment that a lenient upstream could read. */
export type RouteMatch<T, A> =
  | { readonly kind: 'found'; readonly target: T; readonly area: A; readonly parameters: readonly string[] }
  | { readonly kind: 'no-method'; readonly area: A; readonly methods: readonly string[] }
  | { readonly kind: 'no-path'; readonly area: A | null }
  | { readonly kind: 'ambiguous'; readonly area: A | null; readonly segment: string; readonly reserved: string };

interface Branch<T, A> {
  readonly names: readonly string[];
  readonly around: readonly string[] | null;
  readonly node: Node<T, A>;
}

interface Node<T, A> {
  readonly fixed: Map<string, Node<T, A>>;
  /** Fixed segments as a lenient reader would see them, to the spelling that has the rules. */
  readonly folded: Map<string, string>;
  readonly branches: Branch<T, A>[];
  methods: Map<string, T> | null;
  area: A | null;
}

const newNode = <T, A>(): Node<T, A> => ({ fixed: new Map(), folded: new Map(), branches: [], methods: null, area: null });

/**
 * A segment as the most lenient upstream might read it: escapes resolved, compatibility forms and case folded, blanks
 * and dots at the end cut.
 */
export function foldSegment(segment: string): string {
  let text = segment;
  try {
    text = decodeURIComponent(segment);
  } catch {
    // Not UTF-8: it stays in its escaped form, which no fixed segment of ASCII can equal.
  }
  return cutEnd(text.normalize('NFKC').toLowerCase().trimStart());
}

/** Without blanks and dots at the end; in one pass, because a caller chooses how many there are. */
function cutEnd(text: string): string {
  let end = text.length;
  while (end > 0 && (text[end - 1] === '.' || text.slice(end - 1, end).trim() === '')) end--;
  return text.slice(0, end);
}

/**
 * A radix tree over path segments. Fixed segments come before parameters (OpenAPI 3.1.2 section 4.8.8); segments with
 * text around a parameter come before plain parameters. `T` is what an operation compiles to, `A` what an API does.
 */
export class Router<T, A> {
  readonly #root = newNode<T, A>();

  /** @throws ConfigError at `pointer` when another area has the same base */
  addArea(base: readonly TemplateSegment[], area: A, pointer: string): void {
    const node = this.#walk(base);
    if (node.area !== null) throw new ConfigError(pointer, 'another API has the same base path');
    node.area = area;
  }

  /** @throws ConfigError at `pointer` when the method and path are taken */
  add(template: readonly TemplateSegment[], method: string, target: T, pointer: string): void {
    const node = this.#walk(template);
    node.methods ??= new Map();
    if (node.methods.has(method)) throw new ConfigError(pointer, `another operation has the same method and path (${method})`);
    node.methods.set(method, target);
  }

  find(segments: readonly string[], method: string): RouteMatch<T, A> {
    const search = new Search<T, A>(segments, method);
    search.visit(this.#root, 0);
    return search.result();
  }

  #walk(template: readonly TemplateSegment[]): Node<T, A> {
    let node = this.#root;
    for (const segment of template) {
      node = segment.kind === 'fixed' ? fixedChild(node, segment.text) : branchChild(node, segment);
    }
    return node;
  }
}

function fixedChild<T, A>(node: Node<T, A>, text: string): Node<T, A> {
  let child = node.fixed.get(text);
  if (!child) {
    child = newNode();
    node.fixed.set(text, child);
    node.folded.set(foldSegment(text), text);
  }
  return child;
}

function branchChild<T, A>(node: Node<T, A>, segment: Extract<TemplateSegment, { kind: 'parameter' }>): Node<T, A> {
  const same = node.branches.find((branch) => branch.around?.join('{}') === segment.around?.join('{}'));
  if (same) return same.node;
  const branch = { names: segment.names, around: segment.around, node: newNode<T, A>() };
  node.branches.push(branch);
  node.branches.sort((a, b) => Number(a.around === null) - Number(b.around === null));
  return branch.node;
}

/** One walk down the tree. Bounded: a path has few segments, and each node at most a few branches that fit. */
class Search<T, A> {
  readonly #segments: readonly string[];
  readonly #method: string;
  readonly #parameters: string[] = [];
  #area: A | null = null;
  #found: T | null = null;
  #methods: Set<string> | null = null;
  #shadow: { segment: string; reserved: string } | null = null;

  constructor(segments: readonly string[], method: string) {
    this.#segments = segments;
    this.#method = method;
  }

  visit(node: Node<T, A>, index: number): boolean {
    if (node.area !== null) this.#area = node.area;
    if (index === this.#segments.length) return this.#arrive(node);
    const segment = this.#segments[index] ?? '';
    const next = node.fixed.get(segment);
    if (next && this.visit(next, index + 1)) return true;
    if (segment === '' || node.branches.length === 0) return false;
    if (!next && node.folded.size > 0) {
      const reserved = node.folded.get(foldSegment(segment));
      if (reserved !== undefined) {
        this.#shadow ??= { segment, reserved };
        return false;
      }
    }
    return node.branches.some((branch) => this.#enter(branch, segment, index));
  }

  #enter(branch: Branch<T, A>, segment: string, index: number): boolean {
    const values = branch.around === null ? [segment] : matchAround(branch.around, segment);
    if (!values) return false;
    const before = this.#parameters.length;
    this.#parameters.push(...values);
    if (this.visit(branch.node, index + 1)) return true;
    this.#parameters.length = before;
    return false;
  }

  #arrive(node: Node<T, A>): boolean {
    if (!node.methods) return false;
    const target = node.methods.get(this.#method) ?? (this.#method === 'HEAD' ? node.methods.get('GET') : undefined);
    if (target !== undefined) {
      this.#found = target;
      return true;
    }
    this.#methods ??= new Set();
    for (const method of node.methods.keys()) this.#methods.add(method);
    if (node.methods.has('GET')) this.#methods.add('HEAD');
    return false;
  }

  result(): RouteMatch<T, A> {
    if (this.#found !== null && this.#area !== null) return { kind: 'found', target: this.#found, area: this.#area, parameters: this.#parameters };
    if (this.#shadow) return { kind: 'ambiguous', area: this.#area, ...this.#shadow };
    if (this.#methods && this.#area !== null) return { kind: 'no-method', area: this.#area, methods: [...this.#methods].sort() };
    return { kind: 'no-path', area: this.#area };
  }
}
