import Button from '@mui/material/Button';
import { useInfiniteQuery } from '@tanstack/react-query';
import { Ago, count, ProblemNotice } from '@virga/parts';
import type { ClientSummary } from '@virga/protocol';
import { useState } from 'react';
import { Link, useNavigate, useSearchParams } from 'react-router';
import { LongTable, type Column } from '../../parts/data-table';
import { Mark } from '../../parts/mark';
import { AddClient } from './client-form';
import { clientsQuery } from './queries';
import { TakeList } from './take-list';

const COLUMNS: readonly Column<ClientSummary>[] = [
  { width: '20px', cell: (item) => <Mark kind={item.enabled ? 'passed' : 'refused'} word={item.enabled ? 'on' : 'switched off'} /> },
  {
    head: 'Name',
    width: 'minmax(140px, 4fr)',
    className: 'clip',
    cell: (item) => (
      <>
        <b>{item.name}</b>
        {!item.enabled && <span className="ochre"> switched off</span>}
      </>
    ),
  },
  { head: 'Owner', width: 'minmax(100px, 3fr)', className: 'clip', cell: (item) => item.owner || <span className="quiet">nobody named</span> },
  { head: 'Proves itself by', width: 'minmax(160px, 4fr)', className: 'clip', cell: (item) => proofWords(item) || <span className="quiet">nothing yet</span> },
  { head: 'Roles', width: 'minmax(80px, 2fr)', className: 'clip', cell: (item) => <span className="mono small">{item.roles.join(', ')}</span> },
  {
    head: 'Last used',
    width: '92px',
    className: 'clip',
    cell: (item) => <span className="small">{item.lastUsedAt === null ? <span className="quiet">never</span> : <Ago at={item.lastUsedAt} />}</span>,
  },
  {
    head: 'Added',
    width: '84px',
    className: 'clip',
    cell: (item) => (
      <span className="small">
        <Ago at={item.madeAt} />
      </span>
    ),
  },
];

/** All clients: who may call with keys, secrets, certificates, or as a client of a provider. */
export function ClientListScreen() {
  const [query, setQuery] = useSearchParams();
  const text = query.get('text') ?? '';
  const clients = useInfiniteQuery({ ...clientsQuery(text), refetchInterval: 10_000 });
  const items = clients.data?.pages.flatMap((page) => page.items) ?? [];
  const total = clients.data?.pages[0]?.total ?? 0;
  const [adding, setAdding] = useState(false);
  const [taking, setTaking] = useState(false);
  const navigate = useNavigate();
  return (
    <>
      <div className="page-head">
        <h1>Clients</h1>
        <div className="field" style={{ width: 250 }}>
          <input
            aria-label="Search clients"
            placeholder="name, owner, metadata, or how a key begins"
            value={text}
            onChange={(event) => setQuery(event.target.value ? { text: event.target.value } : {}, { replace: true })}
          />
        </div>
        {clients.data && (
          <span className="quiet">
            {count(total)} {text ? 'found' : 'in all'}; changes act at once
          </span>
        )}
        <span className="after">
          <Link to="/leaks">leaked keys</Link>
          <a href="/control/v1/clients/list.csv" download="clients.csv">
            as CSV
          </a>
          <button className="link" onClick={() => setTaking(true)}>
            take a list in
          </button>
          <Button variant="contained" onClick={() => setAdding(true)}>
            Add a client
          </Button>
        </span>
      </div>
      <ProblemNotice error={clients.error} />
      {clients.data && items.length === 0 && (
        <div className="empty">
          <h2>{text ? 'No client has that in its name, owner or keys' : 'No client yet'}</h2>
          {!text && (
            <p>
              A client is a program that calls your APIs. Give it a key, a name and secret, a certificate, or say which client of a provider it is; operations
              whose rule asks for such a proof let it in from then on.
            </p>
          )}
        </div>
      )}
      {items.length > 0 && (
        <LongTable
          items={items}
          label="Clients"
          columns={COLUMNS}
          to={(item) => `/clients/${item.id}`}
          name={(item) => `${item.name}, ${item.enabled ? proofWords(item) : 'switched off'}`}
          height={(all) => `min(${all + 4}px, calc(100vh - 220px))`}
          onEnd={clients.hasNextPage ? () => void clients.fetchNextPage() : null}
        />
      )}
      {taking && <TakeList onClose={() => setTaking(false)} />}
      {adding && <AddClient onClose={() => setAdding(false)} onDone={(id) => void navigate(`/clients/${id}`)} />}
    </>
  );
}

/** What a client can prove itself with now, in words. */
export function proofWords({ keys, secrets, certificates, providerClients }: ClientSummary): string {
  const say = (number: number, one: string, many: string): string[] => (number === 0 ? [] : [`${number} ${number === 1 ? one : many}`]);
  return [
    ...say(keys, 'key', 'keys'),
    ...say(secrets, 'secret', 'secrets'),
    ...say(certificates, 'certificate', 'certificates'),
    ...say(providerClients, 'client of a provider', 'clients of providers'),
  ].join(', ');
}
