import type { ClientUseView, UseDays } from '@virga/protocol';
import { useState, type ReactNode } from 'react';
import { ProblemNotice } from './problem-notice';
import { saveCsv } from './save-csv';
import { UseBars } from './use-bars';
import { rowsOfUse } from './use-rows';

const SPANS: readonly (readonly [UseDays, string])[] = [
  [1, '24 hours'],
  [7, '7 days'],
  [30, '30 days'],
];

/** Counts of a client over some days: as a picture or a table, and as a file to take away. */
export function UseFrame({
  title,
  file,
  use,
  error,
  days,
  onDays,
  said,
  empty,
  slices,
  children,
}: {
  readonly title: string;
  /** What the file is called, without its ending. */
  readonly file: string;
  readonly use: ClientUseView | undefined;
  readonly error: unknown;
  readonly days: UseDays;
  readonly onDays: (days: UseDays) => void;
  /** All of it in a few words. */
  readonly said: (use: ClientUseView) => string;
  /** What is said where nothing came. */
  readonly empty: string;
  /** The table that stands in place of the picture. */
  readonly slices: (use: ClientUseView) => ReactNode;
  /** What stands below either. */
  readonly children: (use: ClientUseView) => ReactNode;
}) {
  const [table, setTable] = useState(false);
  return (
    <section className="stack" aria-label={title}>
      <div className="row wrap">
        <h2 style={{ margin: 0 }}>{title}</h2>
        {use && <span className="quiet grow">{said(use)}</span>}
        <span className="row" style={{ gap: 12 }}>
          {SPANS.map(([span, words]) => (
            <button key={span} className="link" aria-pressed={span === days} onClick={() => onDays(span)}>
              {span === days ? <b>{words}</b> : words}
            </button>
          ))}
          <button className="link" onClick={() => setTable(!table)}>
            {table ? 'as a picture' : 'as a table'}
          </button>
          {use && (
            <button className="link" onClick={() => saveCsv(`${file}-${days}d.csv`, rowsOfUse(use))}>
              as CSV
            </button>
          )}
        </span>
      </div>
      <ProblemNotice error={error} />
      {use && use.passed + use.refused === 0 && <p className="quiet">{empty}</p>}
      {use && use.passed + use.refused > 0 && (
        <>
          {table ? slices(use) : <UseBars use={use} />}
          {children(use)}
        </>
      )}
    </section>
  );
}
