import { cutEnd, foldings, foldSegment, foldText } from './fold-segment.js';
import type { TemplateSegment } from './path-template.js';

interface Around<L> {
  /** The fixed text of the segment, folded. */
  readonly texts: readonly string[];
  readonly node: Node<L>;
}

/** Members are made when they are needed: a release has many nodes, and most have few members. */
interface Node<L> {
  fixed: Map<string, Node<L>> | null;
  arounds: readonly Around<L>[] | null;
  parameter: Node<L> | null;
  leaves: readonly L[] | null;
}

const newNode = <L>(): Node<L> => ({ fixed: null, arounds: null, parameter: null, leaves: null });
const NONE: readonly never[] = Object.freeze([]);

/**
 * Templates as the most lenient reader would match them. Asked with a path it names whatever some upstream could take
 * it for, and rather too much than too little. A slash at the end counts for nothing.
 */
export class LenientIndex<L> {
  readonly #root = newNode<L>();

  add(template: readonly TemplateSegment[], leaf: L): void {
    let node = this.#root;
    for (const segment of trimmed(template, isEmptyEnd)) node = childOf(node, segment);
    node.leaves = node.leaves === null ? [leaf] : [...node.leaves, leaf];
  }

  /** The first leaf that a reading of this path leads to and that `wanted` takes; null when there is none. */
  find(path: readonly string[], wanted: (leaf: L) => boolean): L | null {
    const readings = trimmed(path, (segment) => segment === '').map(foldings);
    return visit(this.#root, readings, 0, wanted);
  }

  /** The first leaf that some path of a template could lead to as well, and that `wanted` takes. */
  overlapping(template: readonly TemplateSegment[], wanted: (leaf: L) => boolean): L | null {
    return overlap(this.#root, trimmed(template, isEmptyEnd), 0, wanted);
  }
}

const isEmptyEnd = (segment: TemplateSegment): boolean => segment.kind === 'fixed' && segment.text === '';

function trimmed<S>(segments: readonly S[], isEmpty: (segment: S) => boolean): readonly S[] {
  const last = segments[segments.length - 1];
  return last !== undefined && isEmpty(last) ? segments.slice(0, -1) : segments;
}

function childOf<L>(node: Node<L>, segment: TemplateSegment): Node<L> {
  if (segment.kind === 'fixed') {
    const key = foldSegment(segment.text);
    node.fixed ??= new Map();
    let child = node.fixed.get(key);
    if (!child) node.fixed.set(key, (child = newNode()));
    return child;
  }
  if (segment.around === null) return (node.parameter ??= newNode());
  const texts = segment.around.map((text, index, all) => {
    const folded = foldText(decodeFixed(text));
    return index === all.length - 1 ? cutEnd(folded) : index === 0 ? folded.trimStart() : folded;
  });
  const same = node.arounds?.find((around) => around.texts.join('{}') === texts.join('{}'));
  if (same) return same.node;
  const around = { texts, node: newNode<L>() };
  node.arounds = node.arounds === null ? [around] : [...node.arounds, around];
  return around.node;
}

function decodeFixed(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}

function visit<L>(node: Node<L>, readings: readonly (readonly string[])[], index: number, wanted: (leaf: L) => boolean): L | null {
  if (index === readings.length) return node.leaves?.find(wanted) ?? null;
  for (const reading of readings[index] ?? []) {
    // What is read as nothing is left out by readers who merge slashes.
    const without = reading === '' ? visit(node, readings, index + 1, wanted) : null;
    if (without !== null) return without;
    const next = node.fixed?.get(reading);
    const found = next ? visit(next, readings, index + 1, wanted) : null;
    if (found !== null) return found;
    for (const around of node.arounds ?? NONE) {
      const inside = fitsAround(around.texts, reading) ? visit(around.node, readings, index + 1, wanted) : null;
      if (inside !== null) return inside;
    }
  }
  return node.parameter ? visit(node.parameter, readings, index + 1, wanted) : null;
}

/** Whether the texts stand in this order in the segment; parameters may be empty, since blanks may have been cut. */
function fitsAround(texts: readonly string[], segment: string): boolean {
  const first = texts[0] ?? '';
  const last = texts[texts.length - 1] ?? '';
  if (segment.length < first.length + last.length || !segment.startsWith(first) || !segment.endsWith(last)) return false;
  let at = first.length;
  const end = segment.length - last.length;
  for (const text of texts.slice(1, -1)) {
    const next = segment.indexOf(text, at);
    if (next < 0 || next + text.length > end) return false;
    at = next + text.length;
  }
  return true;
}

function overlap<L>(node: Node<L>, template: readonly TemplateSegment[], index: number, wanted: (leaf: L) => boolean): L | null {
  const segment = template[index];
  if (segment === undefined) return node.leaves?.find(wanted) ?? null;
  for (const next of nextNodes(node, segment)) {
    const found = overlap(next, template, index + 1, wanted);
    if (found !== null) return found;
  }
  return null;
}

function* nextNodes<L>(node: Node<L>, segment: TemplateSegment): Generator<Node<L>> {
  if (segment.kind === 'fixed') {
    for (const reading of foldings(segment.text)) {
      const next = node.fixed?.get(reading);
      if (next) yield next;
      for (const around of node.arounds ?? NONE) if (fitsAround(around.texts, reading)) yield around.node;
    }
  } else {
    if (node.fixed) yield* node.fixed.values();
    for (const around of node.arounds ?? NONE) yield around.node;
  }
  if (node.parameter) yield node.parameter;
}
