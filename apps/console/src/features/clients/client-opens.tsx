import { queryOptions, useQuery } from '@tanstack/react-query';
import { STEP_NAMES, type KnownFacts, type ReleaseDocument } from '@virga/core';
import { Link } from 'react-router';
import { count, ProblemNotice, saveCsv } from '@virga/parts';
import { operationPath } from '../../client/places';
import { useStanding } from '../../client/standing';
import { DataTable } from '../../parts/data-table';
import { Mark } from '../../parts/mark';
import { suppose } from '../../workers/suppose';
import { documentQuery, factsQuery } from '../let-through/queries';
import { csvRows, markOf, wordsOf } from '../reach/cells';

/** So many operations stand in the list; the file has all of them. */
const SHOWN = 60;

const opensQuery = (clientId: string, document: ReleaseDocument | undefined, facts: KnownFacts | undefined, key: readonly unknown[]) =>
  queryOptions({
    queryKey: ['clients', clientId, 'opens', ...key],
    queryFn: async () => {
      if (!document || !facts) throw new Error('invariant: asked when both are there');
      const own = {
        ...facts,
        clients: facts.clients.filter(({ id }) => id === clientId),
        credentials: facts.credentials.filter((one) => one.clientId === clientId),
      };
      const settings = { atMs: null, address: null, nowMs: Date.now() };
      const table = await suppose({ ask: 'table', by: 'opens', after: document, before: null, facts: own, named: [], settings, clientText: '', keys: {} });
      const caller = table.callers.findIndex(({ id }) => id === `client ${clientId}`);
      return { table, caller };
    },
    enabled: document !== undefined && facts !== undefined,
    staleTime: Infinity,
    gcTime: 0,
    retry: false,
  });

/** Everything that a client can reach now with all that it has, decided by the gateway's own code. */
export function ClientOpens({ clientId }: { readonly clientId: string }) {
  const { data: standing } = useStanding();
  const live = standing?.live?.number ?? null;
  const document = useQuery({ ...documentQuery(live ?? 'draft', String(live)), enabled: live !== null });
  const facts = useQuery(factsQuery);
  const { data, error } = useQuery(opensQuery(clientId, document.data, facts.data, [live, facts.dataUpdatedAt]));
  if (standing && live === null) return <p className="quiet">Nothing is published yet, so it opens nothing.</p>;
  if (error) return <ProblemNotice error={error} />;
  if (!data) return <p className="quiet">Deciding…</p>;
  const { table, caller } = data;
  const cells = table.operations.map((operation, at) => ({ ...operation, at, cell: table.after[at]?.[caller] ?? null }));
  const open = cells.filter(({ cell }) => cell?.kind === 'allowed' && cell.code !== 'credential.not-asked');
  const hangs = cells.filter(({ cell }) => cell?.kind === 'conditional');
  const anybody = cells.filter(({ cell }) => cell?.kind === 'allowed' && cell.code === 'credential.not-asked');
  const listed = [...open, ...hangs];
  return (
    <div className="stack">
      <div className="row wrap">
        <span>
          <b>{count(open.length)}</b> {open.length === 1 ? 'operation lets' : 'operations let'} it in, <b>{count(hangs.length)}</b>{' '}
          {hangs.length === 1 ? 'hangs' : 'hang'} on more, <b>{count(cells.length - listed.length - anybody.length)}</b> refuse it
          {anybody.length > 0 && <>; {count(anybody.length)} ask nobody who calls</>}
        </span>
        <button
          className="link"
          onClick={() => saveCsv(`opens-${clientId}.csv`, csvRows(table, { operations: table.operations.map((_one, at) => at), callers: [caller] }, false))}
        >
          as CSV
        </button>
      </div>
      {listed.length > 0 && (
        <DataTable
          items={listed.slice(0, SHOWN)}
          label="What it opens"
          keyOf={({ at }) => at}
          columns={[
            { cell: ({ cell }) => <Mark kind={markOf(cell)} word={wordsOf(cell)} /> },
            { head: 'API', cell: ({ apiName }) => apiName },
            {
              head: 'Operation',
              className: 'mono small breaks',
              cell: ({ apiId, operationId, method, path }) => (
                <Link to={operationPath(apiId, operationId)}>
                  {method} {path}
                </Link>
              ),
            },
            {
              head: 'Hangs on',
              className: 'small',
              cell: ({ cell }) => (cell?.kind === 'conditional' ? cell.hangsOn.join(', ') : cell?.kind === 'refused' ? STEP_NAMES[cell.step] : 'nothing more'),
            },
          ]}
        />
      )}
      {listed.length > SHOWN && <p className="quiet">and {count(listed.length - SHOWN)} more; the CSV has all of them.</p>}
    </div>
  );
}
