import { listKeys } from '@virga/parts';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useRef, type KeyboardEvent, type ReactNode } from 'react';
import { Link } from 'react-router';

/** How one row of a long list looks and answers. */
export interface VirtualRow {
  readonly className?: string;
  /** Address that the row leads to; the whole row is that link. */
  readonly to: string;
  /** What the row says in full: the cells have one line. Also what the link is called for those who hear it. */
  readonly name: string;
  /** Called for keys pressed on the row's link, not on what else the row holds. */
  readonly onKey?: (event: KeyboardEvent) => void;
  readonly cells: ReactNode;
}

/** A list of any length, of which only the rows in sight are in the page. Worked by arrow keys and Enter. */
export function VirtualList<Item extends { readonly id: string }>({
  items,
  label,
  columns,
  height,
  onEnd,
  row,
}: {
  readonly items: readonly Item[];
  readonly label: string;
  /** As in `grid-template-columns`, like the head above the list. */
  readonly columns: string;
  /** Height of the list, given the height of all its rows in pixels. */
  readonly height: (all: number) => string;
  /** Called when the last rows come into sight. */
  readonly onEnd?: (() => void) | null;
  readonly row: (item: Item) => VirtualRow;
}) {
  const scroll = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: items.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => 36,
    overscan: 14,
    getItemKey: (index) => items[index]?.id ?? index,
  });
  const shown = rows.getVirtualItems();
  const last = shown[shown.length - 1]?.index ?? 0;
  useEffect(() => {
    if (onEnd && last >= items.length - 10) onEnd();
  }, [last, items.length, onEnd]);
  return (
    <div className="vbody" ref={scroll} style={{ height: height(rows.getTotalSize()), minHeight: 120 }} onKeyDown={listKeys} role="list" aria-label={label}>
      <div style={{ height: rows.getTotalSize(), position: 'relative' }}>
        {shown.map((place) => {
          const { className, to, name, onKey, cells } = row(items[place.index] as Item);
          return (
            <div
              key={place.key}
              ref={rows.measureElement}
              data-index={place.index}
              role="listitem"
              className={className ? `vrow ${className}` : 'vrow'}
              style={{ gridTemplateColumns: columns, transform: `translateY(${place.start}px)` }}
            >
              <Link to={to} className="cover" aria-label={name} title={name} data-row={place.index} onKeyDown={onKey} />
              {cells}
            </div>
          );
        })}
      </div>
    </div>
  );
}
