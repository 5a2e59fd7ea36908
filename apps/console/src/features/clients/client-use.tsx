import { useQuery } from '@tanstack/react-query';
import type { ClientUseView, UseDays } from '@virga/protocol';
import { sum } from 'd3';
import { useState } from 'react';
import { Link } from 'react-router';
import { withQuery } from '../../client/api';
import { DataTable } from '../../parts/data-table';
import { Mark } from '../../parts/mark';
import { count, exactTime, ProblemNotice, sliceWords, UseBars } from '@virga/parts';
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
      {table ? <Slices use={use} /> : <UseBars use={use} />}
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

function Slices({ use }: { readonly use: ClientUseView }) {
  return (
    <DataTable
      items={use.slices.filter(({ passed, refused }) => passed + refused > 0)}
      keyOf={({ at }) => at}
      columns={[
        { head: 'From', cell: ({ at }) => <time title={exactTime(at)}>{sliceWords(at, use.sliceMs)}</time> },
        { head: 'Passed', className: 'number', cell: ({ passed }) => count(passed) },
        { head: 'Of them would have been refused', className: 'number', cell: ({ wouldRefuse }) => count(wouldRefuse) },
        { head: 'Refused', className: 'number', cell: ({ refused }) => count(refused) },
      ]}
    />
  );
}
