import Button from '@mui/material/Button';
import { useInfiniteQuery } from '@tanstack/react-query';
import type { ClientSummary } from '@virga/protocol';
import { useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { Mark } from '../../parts/mark';
import { ProblemNotice } from '../../parts/problem-notice';
import { Ago, count } from '../../parts/time';
import { VirtualList } from '../../parts/virtual-list';
import { AddClient } from './client-form';
import { clientsQuery } from './queries';

const COLUMNS = '20px minmax(140px, 4fr) minmax(100px, 3fr) minmax(160px, 4fr) minmax(80px, 2fr) 84px';

/** All clients: who may call with keys, secrets, certificates, or as a client of a provider. */
export function ClientListScreen() {
  const [query, setQuery] = useSearchParams();
  const text = query.get('text') ?? '';
  const clients = useInfiniteQuery({ ...clientsQuery(text), refetchInterval: 10_000 });
  const items = clients.data?.pages.flatMap((page) => page.items) ?? [];
  const total = clients.data?.pages[0]?.total ?? 0;
  const [adding, setAdding] = useState(false);
  const navigate = useNavigate();
  return (
    <>
      <div className="page-head">
        <h1>Clients</h1>
        <div className="field" style={{ width: 250 }}>
          <input
            aria-label="Search clients"
            placeholder="name, owner, or how a key begins"
            value={text}
            onChange={(event) => setQuery(event.target.value ? { text: event.target.value } : {}, { replace: true })}
          />
        </div>
        {clients.data && (
          <span className="quiet">
            {count(total)} {text ? 'found' : 'in all'}; what changes here acts at once, without publishing
          </span>
        )}
        <span className="after">
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
      {items.length > 0 && <Rows items={items} more={clients.hasNextPage ? () => void clients.fetchNextPage() : null} />}
      {adding && <AddClient onClose={() => setAdding(false)} onDone={(id) => void navigate(`/clients/${id}`)} />}
    </>
  );
}

function Rows({ items, more }: { readonly items: readonly ClientSummary[]; readonly more: (() => void) | null }) {
  return (
    <>
      <div className="vhead" style={{ gridTemplateColumns: COLUMNS }}>
        <span />
        <span>Name</span>
        <span>Owner</span>
        <span>Proves itself by</span>
        <span>Roles</span>
        <span>Added</span>
      </div>
      <VirtualList
        items={items}
        label="Clients"
        columns={COLUMNS}
        height={(all) => `min(${all + 4}px, calc(100vh - 220px))`}
        onEnd={more}
        row={(item) => ({
          to: `/clients/${item.id}`,
          name: `${item.name}, ${item.enabled ? proofWords(item) : 'switched off'}`,
          cells: (
            <>
              <Mark kind={item.enabled ? 'passed' : 'refused'} word={item.enabled ? 'on' : 'switched off'} />
              <span className="clip">
                <b>{item.name}</b>
                {!item.enabled && <span className="ochre"> switched off</span>}
              </span>
              <span className="clip">{item.owner || <span className="quiet">nobody named</span>}</span>
              <span className="clip">{proofWords(item) || <span className="quiet">nothing yet</span>}</span>
              <span className="clip mono small">{item.roles.join(', ')}</span>
              <span className="small clip">
                <Ago at={item.madeAt} />
              </span>
            </>
          ),
        })}
      />
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
