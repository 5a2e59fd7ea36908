import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import type { ProviderView } from '@virga/protocol';
import { Link } from 'react-router';
import { DataTable, type Column } from '../../parts/data-table';
import { ProviderState } from './provider-state';
import { providersQuery } from './queries';

const COLUMNS: readonly Column<ProviderView>[] = [
  {
    head: 'Name',
    cell: (item, open) => (
      <>
        {open(item.name)}
        {item.change !== 'same' && <div className="ochre small">{item.change === 'new' ? 'not published yet' : 'changed, not published'}</div>}
      </>
    ),
  },
  { head: 'Issuer', className: 'mono breaks', cell: (item) => item.issuer },
  { head: 'State', cell: (item) => <ProviderState provider={item} /> },
  { head: 'Proved by', cell: (item) => provedBy(item) },
  { head: 'Meets', className: 'small', cell: (item) => (item.usedBy.length === 0 ? <span className="quiet">nothing yet</span> : item.usedBy.join('; ')) },
];

/** All identity providers of the draft. */
export function ProviderListScreen() {
  const { data, error } = useQuery({ ...providersQuery, refetchInterval: 5000 });
  return (
    <>
      <div className="page-head">
        <h1>Providers</h1>
        <span className="quiet">whose tokens are trusted</span>
        <span className="after">
          <Button variant="contained" component={Link} to="/providers/new">
            Trust a provider
          </Button>
        </span>
      </div>
      <ProblemNotice error={error} />
      {data?.items.length === 0 && (
        <div className="empty">
          <h2>No provider is trusted yet</h2>
          <p>Give the issuer address of one; its metadata and keys are found from there. Nobody has to look a key set up.</p>
          <Link to="/providers/new">Trust the first one</Link>
        </div>
      )}
      {data && data.items.length > 0 && <DataTable items={data.items} columns={COLUMNS} to={(item) => `/providers/${item.id}`} />}
    </>
  );
}

/** How its tokens are proved, in a few words. */
function provedBy({ source, algorithms, keys, calls }: ProviderView): string {
  if (source.kind === 'introspection') return `asking, opaque tokens${calls ? `; asked ${calls} times` : ''}`;
  if (source.kind === 'userinfo') return `userinfo, opaque tokens${calls ? `; asked ${calls} times` : ''}`;
  if (source.kind === 'secret') return `shared secret, ${algorithms.join(', ')}`;
  const count = keys.filter((key) => key.published).length;
  return `${count} ${count === 1 ? 'key' : 'keys'}${source.kind === 'keys' ? ' set by hand' : ''}, ${algorithms.join(', ')}`;
}
