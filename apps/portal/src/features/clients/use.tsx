import { useQuery } from '@tanstack/react-query';
import { count, exactTime, ProblemNotice, sliceWords, UseBars } from '@virga/parts';
import type { ClientUseView, UseDays } from '@virga/protocol';
import { useState } from 'react';
import { useQueryOf } from './queries';

const SPANS: readonly (readonly [UseDays, string])[] = [
  [1, '24 hours'],
  [7, '7 days'],
  [30, '30 days'],
];

/** What a program called, as a picture or a table, by API, and why calls were refused. */
export function Use({ teamId, id }: { readonly teamId: string; readonly id: string }) {
  const [days, setDays] = useState<UseDays>(7);
  const [table, setTable] = useState(false);
  const { data: use, error } = useQuery(useQueryOf(teamId, id, days));
  return (
    <section className="stack" aria-label="Use">
      <div className="row wrap">
        <h2 style={{ margin: 0 }}>Use</h2>
        {use && (
          <span className="quiet grow">
            {count(use.passed)} answered, {count(use.refused)} refused
          </span>
        )}
        <span className="row">
          {SPANS.map(([span, words]) => (
            <button key={span} className="link" aria-pressed={span === days} onClick={() => setDays(span)}>
              {span === days ? <b>{words}</b> : words}
            </button>
          ))}
          <button className="link" onClick={() => setTable(!table)}>
            {table ? 'as a picture' : 'as a table'}
          </button>
        </span>
      </div>
      <ProblemNotice error={error} />
      {use && (use.passed + use.refused === 0 ? <p className="quiet">Nothing came from it in this time.</p> : <Shown use={use} table={table} />)}
    </section>
  );
}

function Shown({ use, table }: { readonly use: ClientUseView; readonly table: boolean }) {
  return (
    <>
      {table ? <Slices use={use} /> : <UseBars use={use} />}
      <div className="columns">
        <Counts head="API" rows={use.apis.map(({ apiId, apiName, passed, refused }) => [apiId ?? '', apiName, passed, refused] as const)} />
        {use.reasons.length === 0 ? (
          <p className="quiet">Nothing was refused.</p>
        ) : (
          <table className="list" aria-label="Why calls were refused">
            <thead>
              <tr>
                <th>Refused because</th>
                <th className="number">Times</th>
              </tr>
            </thead>
            <tbody>
              {use.reasons.map(({ code, title, count: times }) => (
                <tr key={code}>
                  <td>{title}</td>
                  <td className="number">{count(times)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </div>
    </>
  );
}

function Slices({ use }: { readonly use: ClientUseView }) {
  const rows = use.slices
    .filter(({ passed, refused }) => passed + refused > 0)
    .map(({ at, passed, refused }) => [String(at), <time title={exactTime(at)}>{sliceWords(at, use.sliceMs)}</time>, passed, refused] as const);
  return <Counts head="From" rows={rows} />;
}

function Counts({
  head,
  rows,
}: {
  readonly head: string;
  readonly rows: readonly (readonly [key: string, name: React.ReactNode, passed: number, refused: number])[];
}) {
  return (
    <table className="list" aria-label={`Calls by ${head}`}>
      <thead>
        <tr>
          <th>{head}</th>
          <th className="number">Answered</th>
          <th className="number">Refused</th>
        </tr>
      </thead>
      <tbody>
        {rows.map(([key, name, passed, refused]) => (
          <tr key={key}>
            <td>{name}</td>
            <td className="number">{count(passed)}</td>
            <td className="number">{count(refused)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
