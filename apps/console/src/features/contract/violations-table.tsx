import type { ViolationView } from '@virga/protocol';
import { DataTable, type Column } from '../../parts/data-table';
import { Mark } from '../../parts/mark';
import { Call } from '../../parts/method';
import { Ago, count } from '../../parts/time';

/** Where something stands in a message, in words. */
export const placeWords = ({ name, at, part }: Pick<ViolationView, 'name' | 'at' | 'part'>): string =>
  [name, at].filter(Boolean).join(' ') || (part === 'contract-body' || part === 'contract-answer' ? 'the whole body' : '–');

/** Requests by the hour as a row of strokes; the numbers are in its name. */
function Strokes({ slices }: { readonly slices: readonly number[] }) {
  const most = Math.max(1, ...slices);
  return (
    <svg width={slices.length * 3} height={16} role="img" aria-label={`by the hour, oldest first: ${slices.join(', ')}`}>
      {slices.map((value, index) => (
        <line
          key={index}
          x1={index * 3 + 1}
          x2={index * 3 + 1}
          y1={16}
          y2={16 - (value === 0 ? 1 : Math.max(3, (16 * value) / most))}
          stroke="currentColor"
          strokeWidth={value === 0 ? 1 : 2}
          opacity={value === 0 ? 0.35 : 1}
        />
      ))}
    </svg>
  );
}

const COLUMNS: readonly Column<ViolationView>[] = [
  {
    cell: ({ refused }) => <Mark kind={refused > 0 ? 'refused' : 'would-refuse'} />,
  },
  { head: 'Operation', cell: (row, open) => open(<Call method={row.method} path={row.path} />, `${row.method} ${row.path}, ${placeWords(row)}`) },
  { head: 'Part', className: 'small', cell: ({ partName }) => partName.replace(' by contract', '') },
  { head: 'Where', className: 'mono small breaks', cell: placeWords },
  { head: 'Wanted', className: 'small breaks', cell: ({ wanted, code }) => wanted || code },
  { head: 'Found', className: 'small', cell: ({ found }) => <span className="quiet">{found}</span> },
  { head: 'by the hour', cell: ({ slices }) => <Strokes slices={slices.slice(-24)} /> },
  { head: 'requests', className: 'number', cell: ({ refused, wouldRefuse }) => count(refused + wouldRefuse) },
  { head: 'callers', className: 'number', cell: ({ callers }) => count(callers) },
  { head: 'last', className: 'small whole', cell: ({ lastAt }) => <Ago at={lastAt} /> },
];

/** @param brief leaves out what the pane beside the table says */
export function ViolationsTable({
  items,
  chosen,
  brief,
  to,
}: {
  readonly items: readonly ViolationView[];
  readonly chosen: string;
  readonly brief: boolean;
  readonly to: (item: ViolationView) => string;
}) {
  const columns = brief ? COLUMNS.filter(({ head }) => head === undefined || BRIEF.has(String(head))) : COLUMNS;
  return (
    <DataTable label="What differs from the contracts" items={items} columns={columns} keyOf={({ id }) => id} to={to} chosen={({ id }) => id === chosen} />
  );
}

const BRIEF: ReadonlySet<string> = new Set(['Operation', 'Part', 'Where', 'Wanted', 'requests']);
