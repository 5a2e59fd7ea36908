import { ConfigError } from '../util/config-error.js';
import { literalLength, matchAround, type TemplateSegment } from './path-template.js';

/** What a path led to inside one API. */
export type TreeMatch<T> =
  | { readonly kind: 'found'; readonly target: T; readonly parameters: readonly string[] }
  | { readonly kind: 'no-method'; readonly methods: readonly string[] }
  | { readonly kind: 'no-path' };

/** Members are made when they are needed, and as small as they can be: a release has many nodes. */
interface Node<T> {
  /** Of a node that a parameter leads to: the fixed text around it; null for none. */
  readonly around: readonly string[] | null;
  fixed: Map<string, Node<T>> | null;
  branches: readonly Node<T>[] | null;
  targets: readonly T[] | null;
}

const newNode = <T>(around: readonly string[] | null = null): Node<T> => ({ around, fixed: null, branches: null, targets: null });

/** What is kept for a method. */
interface WithMethod {
  readonly method: string;
}

/**
 * The operations of one API, as a radix tree over path segments. Fixed segments come before parameters (OpenAPI 3.1.2
 * section 4.8.8); segments with more text around their parameters come before those with less.
 */
export class OperationTree<T extends WithMethod> {
  readonly #root = newNode<T>();

  /** @throws ConfigError at `pointer` when the method and path are taken */
  add(template: readonly TemplateSegment[], target: T, pointer: string): void {
    let node = this.#root;
    for (const segment of template) node = segment.kind === 'fixed' ? fixedChild(node, segment.text) : branchChild(node, segment.around);
    if (targetOf(node, target.method) !== undefined) throw new ConfigError(pointer, `another operation has the same method and path (${target.method})`);
    node.targets = node.targets === null ? [target] : [...node.targets, target];
  }

  /** @param from the first segment that is looked at: what stands before belongs to the API's base */
  find(segments: readonly string[], from: number, method: string): TreeMatch<T> {
    const search = new Search<T>(segments, method);
    search.visit(this.#root, from);
    return search.result();
  }
}

function fixedChild<T>(node: Node<T>, text: string): Node<T> {
  node.fixed ??= new Map();
  let child = node.fixed.get(text);
  if (!child) node.fixed.set(text, (child = newNode()));
  return child;
}

function branchChild<T>(node: Node<T>, around: readonly string[] | null): Node<T> {
  const same = node.branches?.find((branch) => branch.around?.join('{}') === around?.join('{}'));
  if (same) return same;
  const branch = newNode<T>(around);
  node.branches = node.branches === null ? [branch] : [...node.branches, branch].sort((a, b) => literalLength(b.around) - literalLength(a.around));
  return branch;
}

function targetOf<T extends WithMethod>({ targets }: Node<T>, method: string): T | undefined {
  for (const target of targets ?? NO_TARGETS) if (target.method === method) return target;
  return undefined;
}

const NO_TARGETS: readonly never[] = Object.freeze([]);

/** One walk down the tree. Bounded: a path has few segments, and each node at most a few branches that fit. */
class Search<T extends WithMethod> {
  readonly #segments: readonly string[];
  readonly #method: string;
  readonly #parameters: string[] = [];
  #found: T | null = null;
  #methods: Set<string> | null = null;

  constructor(segments: readonly string[], method: string) {
    this.#segments = segments;
    this.#method = method;
  }

  visit(node: Node<T>, index: number): boolean {
    if (index === this.#segments.length) return this.#arrive(node);
    const segment = this.#segments[index] ?? '';
    const next = node.fixed?.get(segment);
    if (next && this.visit(next, index + 1)) return true;
    if (segment === '' || node.branches === null) return false;
    for (const branch of node.branches) if (this.#enter(branch, segment, index)) return true;
    return false;
  }

  #enter(branch: Node<T>, segment: string, index: number): boolean {
    const before = this.#parameters.length;
    if (branch.around === null) this.#parameters.push(segment);
    else {
      const values = matchAround(branch.around, segment);
      if (!values) return false;
      this.#parameters.push(...values);
    }
    if (this.visit(branch, index + 1)) return true;
    this.#parameters.length = before;
    return false;
  }

  #arrive(node: Node<T>): boolean {
    if (!node.targets) return false;
    const target = targetOf(node, this.#method) ?? (this.#method === 'HEAD' ? targetOf(node, 'GET') : undefined);
    if (target !== undefined) {
      this.#found = target;
      return true;
    }
    this.#methods ??= new Set();
    for (const { method } of node.targets) this.#methods.add(method);
    if (this.#methods.has('GET')) this.#methods.add('HEAD');
    return false;
  }

  result(): TreeMatch<T> {
    if (this.#found !== null) return { kind: 'found', target: this.#found, parameters: this.#parameters };
    return this.#methods ? { kind: 'no-method', methods: [...this.#methods].sort() } : { kind: 'no-path' };
  }
}
