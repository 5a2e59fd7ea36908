import { useQuery } from '@tanstack/react-query';
import { Ago, count, ProblemNotice } from '@virga/parts';
import type { TableSummary } from '@virga/protocol';
import { useSearchParams } from 'react-router';
import { DataTable, type Column } from '../../parts/data-table';
import { tableQuery, tablesQuery } from './queries';
import { TableEditor } from './table-editor';

/** Small tables that conditions look at: they act at once, apart from any release. */
export function Tables() {
  const { data, error } = useQuery(tablesQuery);
  const [query, setQuery] = useSearchParams();
  const name = query.get('name');
  const open = (next: string | null) => setQuery(next === null ? {} : { name: next });
  const items = data?.items ?? [];
  return (
    <>
      <div className="page-head">
        <h1>Tables</h1>
        <span className="quiet">What conditions look up, as in resource.lockouts. A change acts at once, without a release.</span>
      </div>
      <ProblemNotice error={error} />
      {data && (
        <div className="stack" style={{ gap: 20 }}>
          {items.length === 0 && name === null && (
            <p className="quiet" style={{ margin: 0 }}>
              Lists that change more often than rules: what is locked out, who has which section. Rows are found by one column.
            </p>
          )}
          {items.length > 0 && <DataTable items={items} label="Tables" columns={columns(name, open)} keyOf={(item) => item.name} />}
          {name === null && (
            <div>
              <button className="link" onClick={() => open('')}>
                make a table
              </button>
            </div>
          )}
          {name === '' && <TableEditor key="new" table={null} onDone={open} />}
          {name !== null && name !== '' && <Opened key={name} name={name} onDone={open} />}
        </div>
      )}
    </>
  );
}

const columns = (chosen: string | null, open: (name: string) => void): readonly Column<TableSummary>[] => [
  {
    head: 'Table',
    cell: ({ name }) =>
      name === chosen ? (
        <b className="mono">{name}</b>
      ) : (
        <button className="link mono" onClick={() => open(name)}>
          {name}
        </button>
      ),
  },
  { head: 'What it is for', cell: ({ description }) => description },
  { head: 'Rows', className: 'number', cell: ({ rowCount }) => count(rowCount) },
  { head: 'Columns', cell: ({ key, columns: names }) => [key, ...names.filter((one) => one !== key)].join(', ') },
  { head: 'Asked by', cell: ({ askedBy }) => (askedBy.length === 0 ? <span className="quiet">no condition</span> : askedBy.join(', ')) },
  {
    head: 'Changed',
    cell: ({ changedAt, changedBy }) => (
      <span className="quiet small">
        <Ago at={changedAt} /> by {changedBy}
      </span>
    ),
  },
];

function Opened({ name, onDone }: { readonly name: string; readonly onDone: (name: string | null) => void }) {
  const { data, error } = useQuery(tableQuery(name));
  return (
    <>
      <ProblemNotice error={error} />
      {data && <TableEditor key={data.revision} table={data} onDone={onDone} />}
    </>
  );
}
