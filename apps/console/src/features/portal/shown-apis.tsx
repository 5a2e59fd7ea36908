import { useQuery } from '@tanstack/react-query';
import { count, ProblemNotice } from '@virga/parts';
import { Link } from 'react-router';
import { DataTable } from '../../parts/data-table';
import { shownApisQuery } from './queries';
import { ShownApiField } from './shown-api-field';

/** Who sees which API in the portal. */
export function ShownApis() {
  const { data, error } = useQuery(shownApisQuery);
  if (error) return <ProblemNotice error={error} />;
  if (!data) return <p className="quiet">Reading…</p>;
  if (data.items.length === 0) return <div className="empty">There is no API yet. What is brought in is shown to nobody until you say so here.</div>;
  return (
    <>
      <p className="notice" style={{ margin: '0 0 12px' }}>
        <b>Hidden is not closed.</b> Here you say who reads of an API. Who may call it is said by its rules: whoever knows an address can call what they let
        through.
      </p>
      <DataTable
        items={data.items}
        label="Shown APIs"
        keyOf={({ apiId }) => apiId}
        columns={[
          { head: 'API', cell: ({ apiId, name }) => <Link to={`/apis/${apiId}/reference`}>{name}</Link> },
          { head: 'Seen by', cell: (one) => <ShownApiField shown={one} /> },
          {
            head: 'Its pages',
            cell: ({ live, operations, hidden }) =>
              live ? (
                `${count(operations - hidden)} operations${hidden > 0 ? `, ${count(hidden)} left out` : ''}`
              ) : (
                <span className="ochre">not live: nobody sees it</span>
              ),
          },
        ]}
      />
    </>
  );
}
