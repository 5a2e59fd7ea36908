import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { count, ProblemNotice } from '@virga/parts';
import type { ApiSummary } from '@virga/protocol';
import { Link, useSearchParams } from 'react-router';
import { DataTable, type Column } from '../../parts/data-table';
import { Mark } from '../../parts/mark';
import { apisQuery } from './queries';

const STATES = { same: 'live', changed: 'changed, not published', new: 'not published yet' } as const;

const COLUMNS: readonly Column<ApiSummary>[] = [
  {
    head: 'Name',
    cell: (item, open) => (
      <>
        {open(item.name)} <span className="quiet">{item.version}</span>
      </>
    ),
  },
  { head: 'At', className: 'mono', cell: (item) => item.basePath || '/' },
  { head: 'Upstream', className: 'mono hide-narrow', cell: (item) => item.upstreamUrl.replace(/^https?:\/\//, '') },
  {
    head: 'State',
    cell: (item) => (
      <span className={item.state === 'same' ? '' : 'ochre'}>
        {item.enabled ? '' : 'switched off, '}
        {STATES[item.state]}
        {item.incomplete && <b className="ochre">, incomplete</b>}
      </span>
    ),
  },
  { head: 'operations', className: 'number', cell: (item) => count(item.operationCount) },
  {
    head: 'Who may call',
    cell: (item) => (
      <>
        {item.openCount > 0 ? (
          <span className="rust">
            <Mark kind="refused" word="nobody decided" /> {count(item.openCount)} open to anyone
          </span>
        ) : (
          <span className="quiet">{item.publicCount > 0 ? `${item.publicCount} said public` : 'proof everywhere'}</span>
        )}
        {item.observedCount > 0 && (
          <span className="ochre">
            {' '}
            <Mark kind="would-refuse" word="only observing" /> {count(item.observedCount)} only observe
          </span>
        )}
      </>
    ),
  },
  { head: '24 h', className: 'number', cell: (item) => count(item.requests) },
  { head: 'stopped', className: 'number', cell: (item) => (item.requests === 0 ? '' : `${((item.refused / item.requests) * 100).toFixed(1)} %`) },
];

/** All APIs of the draft. */
export function ApiListScreen() {
  const { data, error } = useQuery({ ...apisQuery, refetchInterval: 10_000 });
  const [query, setQuery] = useSearchParams();
  const filter = query.get('filter') ?? '';
  const items = (data?.items ?? []).filter((item) =>
    `${item.name} ${item.version} ${item.basePath} ${item.upstreamUrl}`.toLowerCase().includes(filter.toLowerCase()),
  );
  return (
    <>
      <div className="page-head">
        <h1>APIs</h1>
        <div className="field" style={{ width: 220 }}>
          <input
            aria-label="Filter APIs"
            placeholder="Filter APIs"
            value={filter}
            onChange={(event) => setQuery(event.target.value ? { filter: event.target.value } : {}, { replace: true })}
          />
        </div>
        <div className="after">
          <Button variant="contained" component={Link} to="/apis/new">
            Bring an API in
          </Button>
        </div>
      </div>
      <ProblemNotice error={error} />
      {data?.items.length === 0 && (
        <div className="empty">
          <h2>No API yet</h2>
          <p>
            An API comes in from its OpenAPI 3.0 or 3.1 description: a file, pasted text or an address. What the description declares about security becomes the
            first draft of who may call what.
          </p>
          <Link to="/apis/new">Bring the first one in</Link>
        </div>
      )}
      {data && data.items.length > 0 && <DataTable items={items} columns={COLUMNS} to={(item) => `/apis/${item.id}`} />}
      {data && data.items.length > 0 && items.length === 0 && <p className="quiet">No API has “{filter}” in its name, path or upstream.</p>}
    </>
  );
}
