import { useQuery } from '@tanstack/react-query';
import { count, exactTime, sliceWords, UseFrame } from '@virga/parts';
import type { ClientUseView, UseDays } from '@virga/protocol';
import { sum } from 'd3';
import { useState } from 'react';
import { Link } from 'react-router';
import { withQuery } from '../../client/api';
import { DataTable } from '../../parts/data-table';
import { Mark } from '../../parts/mark';
import { clientUseQuery } from './queries';

/** How much a client called and what was refused to it, as a picture or a table, by API and by kind of refusal. */
export function ClientUse({ clientId }: { readonly clientId: string }) {
  const [days, setDays] = useState<UseDays>(1);
  const { data: use, error } = useQuery(clientUseQuery(clientId, days));
  return (
    <div style={{ marginTop: 18 }}>
      <UseFrame
        title="Its use"
        file={`use-${clientId}`}
        {...{ use, error, days }}
        onDays={setDays}
        said={saidOf}
        empty="Nothing came that proved itself as this client. What is sent with a wrong or withdrawn proof is nobody’s, and not counted here."
        slices={(some) => <Slices use={some} />}
      >
        {(some) => <Shown use={some} clientId={clientId} />}
      </UseFrame>
    </div>
  );
}

function saidOf({ slices, passed, refused }: ClientUseView): string {
  const would = sum(slices, ({ wouldRefuse }) => wouldRefuse);
  return `${count(passed)} passed${would > 0 ? ` (${count(would)} would have been refused)` : ''}, ${count(refused)} refused`;
}

function Shown({ use, clientId }: { readonly use: ClientUseView; readonly clientId: string }) {
  return (
    <>
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
