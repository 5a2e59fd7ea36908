import { Ago, Call, count } from '@virga/parts';
import type { ViolationView } from '@virga/protocol';
import { LongTable, type Column } from '../../parts/data-table';
import { Mark } from '../../parts/mark';

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

type Cells = readonly (Column<ViolationView> & { readonly brief: boolean })[];

const COLUMNS: Cells = [
  { brief: true, width: '22px', cell: ({ refused }) => <Mark kind={refused > 0 ? 'refused' : 'would-refuse'} /> },
  { brief: true, head: 'Operation', width: 'minmax(170px, 6fr)', className: 'clip', cell: ({ method, path }) => <Call method={method} path={path} /> },
  { brief: true, head: 'Part', width: '74px', className: 'small clip', cell: ({ partName }) => partName.replace(' by contract', '') },
  { brief: true, head: 'Where', width: 'minmax(90px, 3fr)', className: 'mono small clip', cell: placeWords },
  { brief: true, head: 'Wanted', width: 'minmax(120px, 5fr)', className: 'small clip', cell: ({ wanted, code }) => wanted || code },
  { brief: false, head: 'Found', width: 'minmax(90px, 3fr)', className: 'small clip quiet', cell: ({ found }) => found },
  { brief: false, head: 'by the hour', width: '76px', cell: ({ slices }) => <Strokes slices={slices.slice(-24)} /> },
  { brief: true, head: 'requests', width: '62px', className: 'number', cell: ({ refused, wouldRefuse }) => count(refused + wouldRefuse) },
  { brief: false, head: 'callers', width: '54px', className: 'number', cell: ({ callers }) => count(callers) },
  { brief: false, head: 'last', width: '84px', className: 'small whole', cell: ({ lastAt }) => <Ago at={lastAt} /> },
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
  return (
    <LongTable
      label="What differs from the contracts"
      items={items}
      columns={brief ? COLUMNS.filter((column) => column.brief) : COLUMNS}
      rowClass={({ id }) => (id === chosen ? 'chosen' : '')}
      to={to}
      name={(item) =>
        `${item.method} ${item.path}, ${item.partName}, ${placeWords(item)}: wanted ${item.wanted}, found ${item.found}; ${count(item.refused + item.wouldRefuse)} requests`
      }
      height={(all) => `min(${all}px, max(220px, calc(100vh - 420px)))`}
    />
  );
}
