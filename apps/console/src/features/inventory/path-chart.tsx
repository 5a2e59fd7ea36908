import { scaleLog } from 'd3';
import type { InventoryItem, InventoryKind } from '@virga/protocol';
import { KindShape } from './kind-mark';
import { ROW, type DrawnPiece } from './path-tree';

const DASHES: Readonly<Record<InventoryKind, string | undefined>> = { seen: undefined, 'never-seen': '5 3', undocumented: '1.5 3' };
const INKS: Readonly<Record<InventoryKind, string>> = { seen: 'var(--rain)', 'never-seen': 'var(--hairline)', undocumented: 'var(--ochre)' };

/** A line is wider the more requests went along it. */
const width = scaleLog().domain([1, 100_000]).range([1.2, 4]).clamp(true);

/** The kind that a line has: what any operation behind it was seen as. */
function kindOf(items: readonly InventoryItem[]): InventoryKind {
  if (items.some(({ kind }) => kind === 'seen')) return 'seen';
  return items.some(({ kind }) => kind === 'undocumented') ? 'undocumented' : 'never-seen';
}

/** The paths of one API as a tree that grows to the right, a row for each operation. The table beside it says the same in words. */
export function PathChart({ pieces, rows, room }: { readonly pieces: readonly DrawnPiece[]; readonly rows: number; readonly room: number }) {
  return (
    <svg width={room} height={rows * ROW} className="paths" aria-hidden="true">
      {pieces.map((piece) => {
        const kind = kindOf(piece.items);
        const requests = piece.items.reduce((sum, one) => sum + one.requests, 0);
        const stroke = { stroke: INKS[kind], strokeWidth: width(Math.max(1, requests)), strokeDasharray: DASHES[kind], fill: 'none' };
        const end = piece.item === null ? piece.x - 3 : room - 14;
        return (
          <g key={piece.key}>
            {piece.from && <path d={`M${piece.from.x},${piece.from.y} V${piece.y} H${Math.max(end, piece.from.x)}`} {...stroke} />}
            {piece.item !== null && (
              <g transform={`translate(${room - 12},${piece.y - 6})`}>
                <KindShape kind={piece.item.kind} />
              </g>
            )}
          </g>
        );
      })}
      {pieces.map((piece) =>
        piece.item === null ? (
          <text key={piece.key} x={piece.x} y={piece.y + 4} className="mono">
            {piece.text}
          </text>
        ) : null,
      )}
    </svg>
  );
}
