import { useQuery } from '@tanstack/react-query';
import { count, exactTime, sliceWords, UseFrame } from '@virga/parts';
import type { ClientUseView, UseDays } from '@virga/protocol';
import { useState } from 'react';
import { useQueryOf } from './queries';

/** What a program called, as a picture or a table, by API, and why calls were refused. */
export function Use({ teamId, id }: { readonly teamId: string; readonly id: string }) {
  const [days, setDays] = useState<UseDays>(7);
  const { data: use, error } = useQuery(useQueryOf(teamId, id, days));
  return (
    <UseFrame
      title="Use"
      file={`use-${id}`}
      {...{ use, error, days }}
      onDays={setDays}
      said={({ passed, refused }) => `${count(passed)} answered, ${count(refused)} refused`}
      empty="Nothing came from it in this time."
      slices={(some) => <Slices use={some} />}
    >
      {(some) => <Shown use={some} />}
    </UseFrame>
  );
}

function Shown({ use }: { readonly use: ClientUseView }) {
  return (
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
  );
}

function Slices({ use }: { readonly use: ClientUseView }) {
  const rows = use.slices
    .filter(({ passed, refused }) => passed + refused > 0)
    .map(
      ({ at, passed, refused }) =>
        [
          String(at),
          <time key={at} title={exactTime(at)}>
            {sliceWords(at, use.sliceMs)}
          </time>,
          passed,
          refused,
        ] as const,
    );
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
