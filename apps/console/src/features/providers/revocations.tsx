import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Ago, Field, ProblemNotice } from '@virga/parts';
import type { ProviderView, RevocationInput, RevocationView } from '@virga/protocol';
import { useState } from 'react';
import { api } from '../../client/api';
import { DataTable } from '../../parts/data-table';
import { revocationsQuery } from './queries';

const KINDS = { jti: 'the token with this id (jti)', subject: 'tokens of this subject', client: 'tokens of this client' } as const;

/** Tokens of a provider that are refused although they are genuine. Takes effect at once, without publishing. */
export function Revocations({ provider }: { readonly provider: ProviderView }) {
  const { data } = useQuery(revocationsQuery);
  const own = (data?.items ?? []).filter((item) => item.providerId === provider.id);
  const client = useQueryClient();
  const refetch = (): void => void client.invalidateQueries({ queryKey: ['revocations'] });
  const remove = useMutation({ mutationFn: (id: string) => api.remove(`/revocations/${id}`), onSettled: refetch });
  return (
    <section className="stack">
      <h2>Revoked here</h2>
      {own.length === 0 ? <p className="quiet">No token of this provider is revoked here.</p> : <List items={own} onRemove={(id) => remove.mutate(id)} />}
      <Revoke provider={provider} onDone={refetch} />
      <ProblemNotice error={remove.error} />
    </section>
  );
}

function List({ items, onRemove }: { readonly items: readonly RevocationView[]; readonly onRemove: (id: string) => void }) {
  return (
    <DataTable
      items={items}
      columns={[
        {
          cell: (item) => (
            <>
              {KINDS[item.kind]} <span className="mono">{item.value}</span>
              {item.issuedBefore !== null && (
                <span className="quiet">
                  {' '}
                  issued before <Ago at={item.issuedBefore} />
                </span>
              )}
              <div className="quiet small">
                {item.reason}, <Ago at={item.madeAt} />
              </div>
            </>
          ),
        },
        {
          className: 'number',
          cell: (item) => (
            <button className="link" onClick={() => onRemove(item.id)}>
              take back
            </button>
          ),
        },
      ]}
    />
  );
}

function Revoke({ provider, onDone }: { readonly provider: ProviderView; readonly onDone: () => void }) {
  const [kind, setKind] = useState<RevocationInput['kind']>('subject');
  const [value, setValue] = useState('');
  const [reason, setReason] = useState('');
  const [past, setPast] = useState(true);
  const add = useMutation({
    mutationFn: () =>
      api.post('/revocations', { kind, providerId: provider.id, value: value.trim(), reason, issuedBefore: past && kind !== 'jti' ? Date.now() : null }),
    onSuccess: () => {
      setValue('');
      setReason('');
      onDone();
    },
  });
  return (
    <form
      className="stack"
      style={{ gap: 8 }}
      onSubmit={(event) => {
        event.preventDefault();
        add.mutate();
      }}
    >
      <div className="row fields">
        <Field id="revoke-kind" label="Refuse from now on">
          <select id="revoke-kind" value={kind} onChange={(event) => setKind(event.target.value as RevocationInput['kind'])}>
            {Object.entries(KINDS).map(([name, words]) => (
              <option key={name} value={name}>
                {words}
              </option>
            ))}
          </select>
        </Field>
        <Field id="revoke-value" label="which">
          <input id="revoke-value" className="mono" value={value} onChange={(event) => setValue(event.target.value)} />
        </Field>
      </div>
      <Field id="revoke-reason" label="Why; it stands in the traces">
        <input id="revoke-reason" value={reason} onChange={(event) => setReason(event.target.value)} />
      </Field>
      {kind !== 'jti' && (
        <label className="check">
          <input type="checkbox" checked={past} onChange={(event) => setPast(event.target.checked)} /> only tokens issued before now; after a new sign-in they
          pass again
        </label>
      )}
      <ProblemNotice error={add.error} />
      <div>
        <Button type="submit" variant="outlined" disabled={value.trim() === '' || reason === '' || add.isPending}>
          Revoke at once
        </Button>
      </div>
    </form>
  );
}
