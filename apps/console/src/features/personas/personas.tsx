import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Ago, Confirm, ProblemNotice } from '@virga/parts';
import type { PersonaView } from '@virga/protocol';
import { useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { api } from '../../client/api';
import { DataTable, type Column } from '../../parts/data-table';
import { Mark } from '../../parts/mark';
import { PersonaDialog } from './persona-dialog';
import { personasQuery } from './queries';
import { useSignIn } from './use-sign-in';

const GRANTS = { client_credentials: 'client credentials', authorization_code: 'authorization code with PKCE' } as const;

const FACTS: readonly Column<PersonaView>[] = [
  {
    head: 'Name',
    cell: (item) => (
      <>
        <Link to={`?edit=${item.id}`} style={{ fontWeight: 700, textDecoration: 'none' }}>
          {item.name}
        </Link>
        <div className="quiet small">{GRANTS[item.grant]}</div>
      </>
    ),
  },
  {
    head: 'Provider and client',
    cell: (item) => (
      <>
        {item.providerName}
        <div className="mono small">{item.clientId}</div>
      </>
    ),
  },
  {
    head: 'Asks for',
    cell: (item) => (
      <>
        <span className="mono small">{item.scopes.join(' ') || 'no scope'}</span>
        <div className="mono small quiet breaks">{item.resource || 'no resource'}</div>
      </>
    ),
  },
  { head: 'Token', cell: (item) => <TokenState token={item.token} /> },
];

function TokenState({ token }: { readonly token: PersonaView['token'] }) {
  if (token.state !== 'ready')
    return (
      <>
        <Mark kind="skipped" word={token.state} /> {token.state}
      </>
    );
  return (
    <>
      <Mark kind="passed" word="ready" /> ready
      {token.expiresAt !== null && (
        <>
          , expires <Ago at={token.expiresAt} />
        </>
      )}
    </>
  );
}

/** Saved ways of getting a token, for the probe. */
export function Personas() {
  const { data, error } = useQuery({ ...personasQuery, refetchInterval: 5000 });
  const [query, setQuery] = useSearchParams();
  const edit = query.get('edit');
  const editing = edit === 'new' ? 'new' : (data?.items.find((item) => item.id === edit) ?? null);
  const [removing, setRemoving] = useState<PersonaView | null>(null);
  const client = useQueryClient();
  const refetch = () => client.invalidateQueries({ queryKey: ['personas'] });
  const remove = useMutation({
    mutationFn: (id: string) => api.remove(`/personas/${id}`),
    onSuccess: () => client.invalidateQueries(),
    onSettled: () => setRemoving(null),
  });
  const get = useMutation({ mutationFn: (id: string) => api.post(`/personas/${id}/token`), onSettled: refetch });
  const forget = useMutation({ mutationFn: (id: string) => api.remove(`/personas/${id}/token`), onSettled: refetch });
  const signIn = useSignIn();
  const columns: readonly Column<PersonaView>[] = [
    ...FACTS,
    {
      cell: (item) => (
        <span className="row wrap">
          {item.grant === 'authorization_code' ? (
            <button className="link" onClick={() => void signIn.start(item.id)}>
              sign in
            </button>
          ) : (
            <button className="link" onClick={() => get.mutate(item.id)}>
              get a token
            </button>
          )}
          {item.token.state !== 'none' && (
            <button className="link" onClick={() => forget.mutate(item.id)}>
              forget it
            </button>
          )}
          <Link to={`?edit=${item.id}`} aria-label={`Change ${item.name}`}>
            change
          </Link>
          <button className="link rust" onClick={() => setRemoving(item)}>
            delete
          </button>
        </span>
      ),
    },
  ];
  return (
    <>
      <div className="page-head">
        <h1>Personas</h1>
        <span className="quiet">saved ways of getting a token, for the probe; tokens are held in memory only</span>
        <span className="after">
          <Button variant="contained" component={Link} to="?edit=new">
            Add a persona
          </Button>
        </span>
      </div>
      <ProblemNotice error={error ?? get.error ?? signIn.error ?? remove.error ?? forget.error} />
      {data?.items.length === 0 && (
        <div className="empty">
          <h2>No persona yet</h2>
          <p>
            A persona is a client of a trusted provider: a program that gets tokens by client credentials, or a person who signs in at the provider’s own page.
            With one, the probe can call as anybody you need.
          </p>
        </div>
      )}
      {data && data.items.length > 0 && <DataTable items={data.items} columns={columns} />}
      {editing && <PersonaDialog persona={editing === 'new' ? null : editing} onClose={() => setQuery({}, { replace: true })} />}
      {removing && (
        <Confirm title={`Delete ${removing.name}`} action="Delete it" onNo={() => setRemoving(null)} onYes={() => remove.mutate(removing.id)}>
          The persona and its client secret are deleted here. Nothing changes at the provider, and no traffic is touched.
        </Confirm>
      )}
    </>
  );
}
