import { useQuery } from '@tanstack/react-query';
import { Ago, ProblemNotice } from '@virga/parts';
import { useState } from 'react';
import { DataTable } from '../../parts/data-table';
import { logQuery } from './queries';

/** What was done in the portal and about it: who approved what, who made which key. */
export function Log() {
  const [only, setOnly] = useState<'decisions' | ''>('');
  const [before, setBefore] = useState<number | undefined>(undefined);
  const { data, error } = useQuery(logQuery(only, before));
  return (
    <div className="stack">
      <div className="row">
        <label className="check">
          <input
            type="checkbox"
            checked={only === 'decisions'}
            onChange={(event) => {
              setOnly(event.target.checked ? 'decisions' : '');
              setBefore(undefined);
            }}
          />
          only what was approved, declined or switched
        </label>
        {before !== undefined && (
          <button className="link" onClick={() => setBefore(undefined)}>
            the newest
          </button>
        )}
      </div>
      <ProblemNotice error={error} />
      {data?.items.length === 0 && <p className="quiet">Nothing was done yet.</p>}
      {data && data.items.length > 0 && (
        <DataTable
          items={data.items}
          label="Log"
          keyOf={({ number }) => number}
          columns={[
            { head: 'When', className: 'whole', cell: ({ at }) => <Ago at={at} /> },
            { head: 'Who', className: 'breaks', cell: ({ by, side }) => <>{side === 'operator' ? <b>{by}</b> : by}</> },
            { head: 'Team', className: 'breaks', cell: ({ teamName }) => teamName },
            { head: 'What', className: 'breaks', cell: ({ words }) => words },
          ]}
        />
      )}
      {data?.more && (
        <div>
          <button className="link" onClick={() => setBefore(data.items[data.items.length - 1]?.number)}>
            older ones
          </button>
        </div>
      )}
    </div>
  );
}
