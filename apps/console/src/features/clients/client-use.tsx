import { useQuery } from '@tanstack/react-query';
import type { ClientUseView, UseDays } from '@virga/protocol';
import dayjs from 'dayjs';
import { max, scaleBand, scaleLinear, sum } from 'd3';
import { useState } from 'react';
import { Link } from 'react-router';
import { withQuery } from '../../client/api';
import { DataTable } from '../../parts/data-table';
import { Mark } from '../../parts/mark';
import { ProblemNotice } from '../../parts/problem-notice';
import { count, exactTime } from '../../parts/time';
import { clientUseQuery } from './queries';

const SPANS: readonly (readonly [UseDays, string])[] = [
  [1, '24 h'],
  [7, '7 d'],
  [30, '30 d'],
];

/** How much a client called and what was refused to it, as a picture or a table, by API and by kind of refusal. */
export function ClientUse({ clientId }: { readonly clientId: string }) {
  const [days, setDays] = useState<UseDays>(1);
  const [table, setTable] = useState(false);
  const { data: use, error } = useQuery(clientUseQuery(clientId, days));
  const would = sum(use?.slices ?? [], ({ wouldRefuse }) => wouldRefuse);
  return (
    <section className="stack" style={{ marginTop: 18 }} aria-label="Its use">
      <div className="row">
        <h2>Its use</h2>
        {use && (
          <span className="quiet grow">
            {count(use.passed)} passed{would > 0 && ` (${count(would)} would have been refused)`}, {count(use.refused)} refused
          </span>
        )}
        <span className="row" style={{ gap: 12 }}>
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
      {use && <Shown use={use} table={table} clientId={clientId} />}
    </section>
  );
}

function Shown({ use, table, clientId }: { readonly use: ClientUseView; readonly table: boolean; readonly clientId: string }) {
  if (use.passed + use.refused === 0)
    return (
      <p className="quiet">Nothing came that proved itself as this client. What is sent with a wrong or withdrawn proof is nobody’s, and not counted here.</p>
    );
  return (
    <>
      {table ? <Slices use={use} /> : <Bars use={use} />}
      <div className="columns">
        <DataTable
          items={use.apis}
          keyOf={({ apiId }) => apiId ?? ''}
          columns={[
            { head: 'API', cell: ({ apiId, apiName }) => (apiId === null ? apiName : <Link to={`/apis/${apiId}`}>{apiName}</Link>) },
            { head: 'Passed', className: 'number', cell: ({ passed }) => count(passed) },
            { head: 'Refused', className: 'number', cell: ({ refused }) => count(refused) },
          ]}
        />
        {use.reasons.length === 0 ? (
          <p className="quiet">Nothing was refused to it.</p>
        ) : (
          <DataTable
            items={use.reasons}
            keyOf={({ outcome, code }) => `${outcome} ${code}`}
            columns={[
              {
                cell: ({ outcome }) => <Mark kind={outcome} word={outcome === 'refused' ? 'refused' : 'would have been refused'} />,
              },
              { head: 'Stopped at', className: 'small', cell: ({ stepName }) => stepName },
              { head: 'Why', cell: ({ code, title }) => <Link to={withQuery('/traces', { client: clientId, code })}>{title}</Link> },
              { head: 'Times', className: 'number', cell: (reason) => count(reason.count) },
            ]}
          />
        )}
      </div>
      {use.untold > 0 && <p className="ochre small">{count(use.untold)} requests of these or other clients were counted without their client.</p>}
    </>
  );
}

const timeWords = (at: number, sliceMs: number): string => dayjs(at).format(sliceMs < 3_600_001 ? 'HH:mm' : sliceMs < 86_400_000 ? 'D MMM HH:mm' : 'D MMM');

function Slices({ use }: { readonly use: ClientUseView }) {
  return (
    <DataTable
      items={use.slices.filter(({ passed, refused }) => passed + refused > 0)}
      keyOf={({ at }) => at}
      columns={[
        { head: 'From', cell: ({ at }) => <time title={exactTime(at)}>{timeWords(at, use.sliceMs)}</time> },
        { head: 'Passed', className: 'number', cell: ({ passed }) => count(passed) },
        { head: 'Of them would have been refused', className: 'number', cell: ({ wouldRefuse }) => count(wouldRefuse) },
        { head: 'Refused', className: 'number', cell: ({ refused }) => count(refused) },
      ]}
    />
  );
}

const WIDTH = 1040;
const HEIGHT = 84;
const FOOT = 16;

/** What passed stands on the line, what was refused hangs below it: the two are told apart by place, not by colour alone. */
function Bars({ use: { slices, sliceMs } }: { readonly use: ClientUseView }) {
  const up = max(slices, ({ passed }) => passed) ?? 0;
  const down = max(slices, ({ refused }) => refused) ?? 0;
  const y = scaleLinear([0, Math.max(1, up + down)], [0, HEIGHT - FOOT - 4]);
  const ground = 2 + y(up);
  const x = scaleBand(
    slices.map(({ at }) => at),
    [0, WIDTH],
  ).padding(0.2);
  const every = Math.ceil(slices.length / 8);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      style={{ width: '100%' }}
      role="img"
      aria-label={`Requests by time, passed above the line and refused below it; at most ${up} passed and ${down} refused in one slice`}
    >
      {slices.map(({ at, passed, refused }, index) => (
        <g key={at}>
          <title>{`from ${exactTime(at)}: ${count(passed)} passed, ${count(refused)} refused`}</title>
          <rect x={x(at)} y={0} width={x.bandwidth()} height={HEIGHT - FOOT} fill="transparent" />
          <rect x={x(at)} y={ground - y(passed)} width={x.bandwidth()} height={y(passed)} fill="var(--rain)" />
          <rect x={x(at)} y={ground} width={x.bandwidth()} height={y(refused)} fill="var(--rust)" />
          {index % every === 0 && (
            <text x={x(at)} y={HEIGHT - 3} fontSize={11} fill="var(--pencil)">
              {timeWords(at, sliceMs)}
            </text>
          )}
        </g>
      ))}
      <line x1={0} x2={WIDTH} y1={ground} y2={ground} stroke="var(--ink)" />
    </svg>
  );
}
