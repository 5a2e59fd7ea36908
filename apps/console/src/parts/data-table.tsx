import type { KeyboardEvent, ReactNode } from 'react';
import { Link } from 'react-router';
import { listKeys } from '@virga/parts';
import { VirtualList } from './virtual-list';

/** Makes the link that stands for a row, which is worked by arrow keys and Enter. @param label what it is called, where its text does not say it */
export type OpenRow = (text: ReactNode, label?: string) => ReactNode;

/** One column: what stands above it, and what in it. */
export interface Column<Item> {
  /** Left out where the cells say what they are. */
  readonly head?: ReactNode;
  /** Of the head and of every cell. */
  readonly className?: string;
  /** As in `grid-template-columns`; asked for in long tables only. */
  readonly width?: string;
  /** @param open makes the row's link, in a short table whose rows lead somewhere */
  readonly cell: (item: Item, open: OpenRow) => ReactNode;
}

interface Common<Item> {
  readonly items: readonly Item[];
  /** What the table is called for those who hear it. */
  readonly label?: string;
  readonly columns: readonly Column<Item>[];
  readonly keyOf?: (item: Item) => string | number;
  readonly rowClass?: (item: Item) => string;
}

/**
 * A table of a few dozen rows. Its rows lead somewhere when `to` is given.
 * @param chosen whether a row is the one that is looked at
 */
export function DataTable<Item>({
  items,
  label,
  columns,
  keyOf = idOf,
  rowClass,
  to,
  chosen,
}: Common<Item> & { readonly to?: (item: Item) => string; readonly chosen?: (item: Item) => boolean }) {
  const hasHead = columns.some(({ head }) => head !== undefined);
  const classOf = (item: Item): string => [to ? 'can-open' : '', chosen?.(item) ? 'chosen' : '', rowClass?.(item) ?? ''].filter(Boolean).join(' ');
  return (
    <table className="list" onKeyDown={to ? listKeys : undefined} aria-label={label}>
      {hasHead && (
        <thead>
          <tr>
            {columns.map(({ head, className }, index) =>
              head === undefined ? (
                <td key={index} />
              ) : (
                <th key={index} className={className}>
                  {head}
                </th>
              ),
            )}
          </tr>
        </thead>
      )}
      <tbody>
        {items.map((item, row) => {
          const open: OpenRow = (text, name) =>
            to ? (
              <Link to={to(item)} className="row-link" data-row={row} aria-label={name} aria-current={chosen?.(item) ? 'true' : undefined}>
                {text}
              </Link>
            ) : (
              text
            );
          return (
            <tr key={keyOf(item)} className={classOf(item)}>
              {columns.map(({ className, cell }, index) => (
                <td key={index} className={className}>
                  {cell(item, open)}
                </td>
              ))}
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** A table of any length, of which only the rows in sight are in the page. Every row leads somewhere, as a whole. */
export function LongTable<Item extends { readonly id: string }>({
  items,
  label,
  columns,
  rowClass,
  to,
  name,
  onKey,
  height,
  onEnd = null,
}: Common<Item> & {
  readonly label: string;
  readonly to: (item: Item) => string;
  /** What a row says in full: the cells have one line. */
  readonly name: (item: Item) => string;
  /** Called for keys pressed on a row's link. */
  readonly onKey?: (item: Item, event: KeyboardEvent) => void;
  /** Height of the rows, given the height of all of them in pixels. */
  readonly height: (all: number) => string;
  /** Called when the last rows come into sight. */
  readonly onEnd?: (() => void) | null;
}) {
  const widths = columns.map(({ width = 'minmax(0, 1fr)' }) => width).join(' ');
  return (
    <>
      <div className="vhead" style={{ gridTemplateColumns: widths }}>
        {columns.map(({ head, className }, index) => (
          <span key={index} className={className}>
            {head}
          </span>
        ))}
      </div>
      <VirtualList
        items={items}
        label={label}
        columns={widths}
        height={height}
        onEnd={onEnd}
        row={(item) => ({
          className: rowClass?.(item) ?? '',
          to: to(item),
          name: name(item),
          ...(onKey ? { onKey: (event: KeyboardEvent) => onKey(item, event) } : {}),
          cells: columns.map(({ className, cell }, index) => (
            <span key={index} className={className}>
              {cell(item, (text) => text)}
            </span>
          )),
        })}
      />
    </>
  );
}

const idOf = (item: unknown): string => (item as { readonly id: string }).id;
