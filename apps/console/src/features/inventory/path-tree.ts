import { hierarchy, type HierarchyNode } from 'd3';
import type { InventoryItem } from '@virga/protocol';

/** Height of a row, and the room around texts, in pixels. */
export const ROW = 26;
const CHARACTER = 6.95;
const GAP = 20;
const LEFT = 4;

/** A piece of paths: one segment or several that always stand together; or one operation at the end of a path. */
interface Piece {
  readonly text: string;
  readonly item: InventoryItem | null;
  readonly children: Piece[];
}

/** A piece where it is drawn. */
export interface DrawnPiece {
  readonly key: string;
  readonly text: string;
  readonly x: number;
  readonly y: number;
  /** Where its text ends, and lines to what comes behind it begin. */
  readonly end: number;
  /** Where the line to it begins; null for the first of its path. */
  readonly from: { readonly x: number; readonly y: number } | null;
  readonly item: InventoryItem | null;
  /** Operations behind it. */
  readonly items: readonly InventoryItem[];
}

interface Branch {
  readonly branches: Map<string, Branch>;
  readonly items: InventoryItem[];
}

const newBranch = (): Branch => ({ branches: new Map(), items: [] });

/** Lays out the paths of one API: every operation has a row of its own, and what paths have in common is written once. */
export function layOutPaths(items: readonly InventoryItem[]): readonly DrawnPiece[] {
  const root = newBranch();
  for (const item of items) {
    let at = root;
    for (const segment of item.path.split('/').slice(1)) {
      const next = at.branches.get(segment) ?? newBranch();
      at.branches.set(segment, next);
      at = next;
    }
    at.items.push(item);
  }
  const tree = hierarchy<Piece>({ text: '', item: null, children: piecesOf(root) }, ({ children }) => children);
  let row = 0;
  const rows = new Map<HierarchyNode<Piece>, number>();
  // Operations have rows in order; a piece stands in the row of the first one behind it.
  tree.eachBefore((node) => {
    rows.set(node, row);
    if (node.data.item !== null) row++;
  });
  const drawn = new Map<HierarchyNode<Piece>, DrawnPiece>();
  tree.eachBefore((node) => {
    if (node.parent === null) return;
    const before = drawn.get(node.parent) ?? null;
    const x = before === null ? LEFT : before.end + GAP;
    const y = (rows.get(node) ?? 0) * ROW + ROW / 2;
    drawn.set(node, {
      key:
        node
          .ancestors()
          .map(({ data }) => data.text)
          .reverse()
          .join('') + (node.data.item ? ` ${node.data.item.method}` : ''),
      text: node.data.text,
      x,
      y,
      end: node.data.item === null ? x + node.data.text.length * CHARACTER : x,
      from: before && { x: before.end + GAP / 3, y: before.y },
      item: node.data.item,
      items: node.leaves().flatMap(({ data }) => data.item ?? []),
    });
  });
  return [...drawn.values()];
}

function piecesOf(branch: Branch): Piece[] {
  const own = [...branch.items].sort((a, b) => (a.method < b.method ? -1 : 1)).map((item): Piece => ({ text: '', item, children: [] }));
  const below = [...branch.branches].sort(([a], [b]) => (a < b ? -1 : 1)).map(([segment, next]) => pieceOf(`/${segment}`, next));
  return [...own, ...below];
}

/** Segments that nothing branches off from are one piece. */
function pieceOf(text: string, branch: Branch): Piece {
  const [only] = branch.branches;
  if (branch.items.length === 0 && branch.branches.size === 1 && only) return pieceOf(`${text}/${only[0]}`, only[1]);
  return { text, item: null, children: piecesOf(branch) };
}
