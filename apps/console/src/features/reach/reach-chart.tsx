import { scaleBand } from 'd3';
import { useEffect, useMemo, useRef, useState, type KeyboardEvent } from 'react';
import { cellsDiffer, reachesMore } from '@virga/core';
import { Mark } from '../../parts/mark';
import type { TableAnswer } from '../../workers/suppose-messages';
import { KIND_NAMES, markOf, wordsOf, type Shown } from './cells';

const ROW = 23;
const HEAD = 152;
/** Room for what operations are called: less where there is little. */
const LABEL = { wide: 300, narrow: 190, below: 640 };
const MOST_CHARACTERS = 19;

export interface Chosen {
  readonly operation: number | null;
  readonly caller: number | null;
}

interface ChartProps {
  readonly table: TableAnswer;
  readonly shown: Shown;
  readonly compared: boolean;
  readonly chosen: Chosen;
  readonly onChoose: (chosen: Chosen) => void;
}

/** Operations down, callers across, a mark where they meet; only what is in sight is drawn. Arrow keys move, Enter says why. */
export function ReachChart({ table, shown, compared, chosen, onChoose }: ChartProps) {
  const frame = useRef<HTMLDivElement>(null);
  const [view, setView] = useState({ top: 0, left: 0, width: 900, height: 500 });
  const [cursor, setCursor] = useState({ row: 0, column: 0 });
  const label = view.width < LABEL.below ? LABEL.narrow : LABEL.wide;
  const lines = useMemo(() => linesOf(table, shown), [table, shown]);
  const column = compared ? 42 : 26;
  const rows = scaleBand<number>()
    .domain(lines.map((_line, index) => index))
    .range([HEAD, HEAD + lines.length * ROW]);
  const columns = scaleBand<number>()
    .domain(shown.callers)
    .range([label, label + shown.callers.length * column]);
  useEffect(() => {
    const box = frame.current;
    if (!box) return undefined;
    const look = () => setView({ top: box.scrollTop, left: box.scrollLeft, width: box.clientWidth, height: box.clientHeight });
    const watch = new ResizeObserver(look);
    watch.observe(box);
    box.addEventListener('scroll', look, { passive: true });
    look();
    return () => {
      watch.disconnect();
      box.removeEventListener('scroll', look);
    };
  }, []);
  const first = Math.max(0, Math.floor(view.top / ROW));
  const seen = lines.slice(first, first + Math.ceil((view.height - HEAD) / ROW) + 1).map((line, index) => ({ line, at: first + index }));
  const from = Math.max(0, Math.floor(view.left / column));
  const across = shown.callers.slice(from, from + Math.ceil((view.width - label) / column) + 1);
  const x = (caller: number): number => (columns(caller) ?? 0) - view.left;
  const y = (at: number): number => (rows(at) ?? 0) - view.top;
  const open = lines.flatMap((line, at) => (line.kind === 'operation' ? [{ at, operation: line.operation }] : []));
  const here = open[Math.min(cursor.row, open.length - 1)];
  const who = shown.callers[Math.min(cursor.column, shown.callers.length - 1)];
  const onKey = (event: KeyboardEvent) => {
    const move = { ArrowDown: [1, 0], ArrowUp: [-1, 0], ArrowRight: [0, 1], ArrowLeft: [0, -1], PageDown: [15, 0], PageUp: [-15, 0] }[event.key];
    if (event.key === 'Enter' && here && who !== undefined) return onChoose({ operation: here.operation, caller: who });
    if (!move) return;
    event.preventDefault();
    const row = Math.min(Math.max(0, cursor.row + (move[0] ?? 0)), open.length - 1);
    const next = Math.min(Math.max(0, cursor.column + (move[1] ?? 0)), shown.callers.length - 1);
    setCursor({ row, column: next });
    const top = (open[row]?.at ?? 0) * ROW;
    const box = frame.current;
    if (box && (top < box.scrollTop || top + ROW > box.scrollTop + box.clientHeight - HEAD)) box.scrollTop = Math.max(0, top - ROW * 3);
    if (box && (next * column < box.scrollLeft || (next + 1) * column > box.scrollLeft + box.clientWidth - label))
      box.scrollLeft = Math.max(0, (next - 2) * column);
  };
  const cellAt = (operation: number, caller: number) => ({
    after: table.after[operation]?.[caller] ?? null,
    before: table.before[operation]?.[caller] ?? null,
  });
  const current = here && who !== undefined ? cellAt(here.operation, who) : null;
  return (
    <div className="reach-frame" ref={frame}>
      <div style={{ width: label + shown.callers.length * column, height: HEAD + lines.length * ROW }}>
        <svg
          className="reach"
          width={view.width}
          height={view.height}
          tabIndex={0}
          role="application"
          aria-label={`Reach: ${shown.operations.length} operations, ${shown.callers.length} callers. Arrow keys move, Enter says why`}
          onKeyDown={onKey}
        >
          <clipPath id="reach-cells">
            <rect x={label} y={HEAD} width={Math.max(0, view.width - label)} height={Math.max(0, view.height - HEAD)} />
          </clipPath>
          <clipPath id="reach-rows">
            <rect x={0} y={HEAD} width={label - 8} height={Math.max(0, view.height - HEAD)} />
          </clipPath>
          <clipPath id="reach-heads">
            <rect x={label - 20} y={0} width={Math.max(0, view.width - label + 20)} height={HEAD} />
          </clipPath>
          <g clipPath="url(#reach-cells)">
            {seen.map(({ line, at }) =>
              line.kind === 'api' ? (
                <line key={at} x1={label} x2={view.width} y1={y(at) + ROW - 1} y2={y(at) + ROW - 1} stroke="var(--ink)" />
              ) : (
                across.map((caller) => {
                  const { after, before } = cellAt(line.operation, caller);
                  const differs = compared && cellsDiffer(before, after);
                  const wide = reachesMore(before, after);
                  const words = differs ? `${wordsOf(after)}; before: ${wordsOf(before)}` : wordsOf(after);
                  const is = chosen.operation === line.operation && chosen.caller === caller;
                  const at2 = here?.operation === line.operation && who === caller;
                  return (
                    <g
                      key={`${at} ${caller}`}
                      className={`reach-cell${at2 ? ' at' : ''}`}
                      transform={`translate(${x(caller)} ${y(at)})`}
                      onClick={() => {
                        setCursor({ row: open.findIndex(({ operation }) => operation === line.operation), column: shown.callers.indexOf(caller) });
                        onChoose({ operation: line.operation, caller });
                      }}
                    >
                      <rect width={column} height={ROW} className={is ? 'chosen' : differs ? (wide ? 'more' : 'less') : 'plain'} />
                      {compared && differs && (
                        <g transform={`translate(4 4.5)`} opacity={0.55}>
                          <Mark kind={markOf(before)} word={`before: ${wordsOf(before)}`} size={13} />
                        </g>
                      )}
                      <g transform={`translate(${compared ? 23 : 6} 4)`}>
                        <Mark kind={markOf(after)} word={words} size={14} />
                      </g>
                    </g>
                  );
                })
              ),
            )}
            {seen.map(
              ({ at, line }) =>
                line.kind === 'operation' && (
                  <line key={at} x1={label} x2={view.width} y1={y(at) + ROW - 0.5} y2={y(at) + ROW - 0.5} stroke="var(--hairline)" />
                ),
            )}
          </g>
          <g clipPath="url(#reach-rows)">
            {seen.map(({ line, at }) =>
              line.kind === 'api' ? (
                <text key={at} x={2} y={y(at) + 16} fontWeight={700}>
                  {line.name}
                </text>
              ) : (
                <g
                  key={at}
                  className={`reach-label${chosen.operation === line.operation ? ' chosen' : ''}`}
                  onClick={() => onChoose({ operation: line.operation, caller: null })}
                >
                  <rect x={0} y={y(at)} width={label - 8} height={ROW} fill="transparent" />
                  <text x={10} y={y(at) + 15.5} className="mono">
                    <tspan fontWeight={600}>{table.operations[line.operation]?.method}</tspan> {table.operations[line.operation]?.path}
                  </text>
                  <title>Who can reach {table.operations[line.operation]?.path}</title>
                </g>
              ),
            )}
          </g>
          <g clipPath="url(#reach-heads)">
            {across.map((caller, index) => {
              const known = table.callers[caller];
              const kind = known?.kind;
              const begins = table.callers[across[index - 1] ?? -1]?.kind !== kind;
              const name = known?.name ?? '';
              return (
                <g key={caller} className={`reach-label${chosen.caller === caller ? ' chosen' : ''}`} onClick={() => onChoose({ operation: null, caller })}>
                  {begins && kind && kind !== 'nobody' && (
                    <>
                      <text x={x(caller) + 4} y={12} className="quiet small">
                        {KIND_NAMES[kind]}
                      </text>
                      <line x1={x(caller)} x2={x(caller)} y1={4} y2={HEAD} stroke="var(--hairline)" />
                    </>
                  )}
                  <rect x={x(caller)} y={18} width={column} height={HEAD - 18} fill="transparent" />
                  <text transform={`translate(${x(caller) + column / 2 + 4} ${HEAD - 6}) rotate(-90)`}>
                    {name.length > MOST_CHARACTERS ? `${name.slice(0, MOST_CHARACTERS - 1).trimEnd()}…` : name}
                    <title>
                      {KIND_NAMES[kind ?? 'nobody']}: {name}
                    </title>
                  </text>
                </g>
              );
            })}
          </g>
          <line x1={0} x2={view.width} y1={HEAD - 0.5} y2={HEAD - 0.5} stroke="var(--ink)" strokeWidth={1.5} />
        </svg>
      </div>
      <p className="unseen" aria-live="polite">
        {current &&
          here &&
          who !== undefined &&
          `${table.operations[here.operation]?.method} ${table.operations[here.operation]?.path}, ${table.callers[who]?.name}: ${wordsOf(current.after)}`}
      </p>
    </div>
  );
}

type Line = { readonly kind: 'api'; readonly name: string } | { readonly kind: 'operation'; readonly operation: number };

/** The lines of the chart: operations under the names of their APIs. */
function linesOf({ operations }: TableAnswer, shown: Shown): readonly Line[] {
  let api = '';
  return shown.operations.flatMap((at): Line[] => {
    const operation = operations[at];
    const begins = operation && operation.apiId !== api;
    api = operation?.apiId ?? '';
    return [...(begins ? [{ kind: 'api', name: operation.apiName } as const] : []), { kind: 'operation', operation: at }];
  });
}
