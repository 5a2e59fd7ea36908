import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Ago, Confirm, Copyable, ProblemNotice } from '@virga/parts';
import type { ProviderView } from '@virga/protocol';
import { useState } from 'react';
import { useNavigate, useParams } from 'react-router';
import { api } from '../../client/api';
import { Comparison } from './comparison';
import { KeyTable } from './key-table';
import { KeyYears } from './key-years';
import { ClaimMapForm, ProviderForm } from './provider-form';
import { ProviderState } from './provider-state';
import { providerQuery } from './queries';
import { Revocations } from './revocations';

/** One provider: its state in words, its keys, how it is trusted. */
export function ProviderScreen() {
  const { id = '' } = useParams();
  const { data: provider, error } = useQuery(providerQuery(id));
  const [removing, setRemoving] = useState(false);
  const navigate = useNavigate();
  const client = useQueryClient();
  const refresh = useMutation({
    mutationFn: () => api.post<ProviderView>(`/providers/${id}/refresh`),
    onSuccess: (view) => client.setQueryData(['providers', id], view),
  });
  const remove = useMutation({
    mutationFn: () => api.remove(`/providers/${id}`),
    onSuccess: async () => {
      await navigate('/providers');
      await client.invalidateQueries();
    },
    onError: () => setRemoving(false),
  });
  if (error && !provider) return <ProblemNotice error={error} />;
  if (!provider) return <p className="quiet">Reading…</p>;
  return (
    <>
      <div className="page-head">
        <h1>{provider.name}</h1>
        <Copyable text={provider.issuer} />
        {provider.change !== 'same' && <span className="ochre">{provider.change === 'new' ? 'not published yet' : 'changed, not published'}</span>}
        <span className="after">
          <button className="link rust" onClick={() => setRemoving(true)}>
            trust no longer
          </button>
          {provider.calls === null && (
            <Button variant="outlined" disabled={refresh.isPending || provider.state === 'not-live'} onClick={() => refresh.mutate()}>
              {refresh.isPending ? 'Asking…' : 'Fetch its keys now'}
            </Button>
          )}
        </span>
      </div>
      <div className="stack" style={{ gap: 22 }}>
        <div>
          <b>
            <ProviderState provider={provider} />
          </b>{' '}
          {provider.reason}{' '}
          {provider.fetchedAt !== null && (
            <span className="quiet">
              Keys were read <Ago at={provider.fetchedAt} />.
            </span>
          )}
        </div>
        <ProblemNotice error={remove.error ?? refresh.error} />
        {provider.keys.length + provider.refused.length > 0 && (
          <section>
            <h2>Keys</h2>
            <KeyTable keys={provider.keys} refused={provider.refused} />
            <KeyYears keys={provider.keys} />
          </section>
        )}
        <div className="columns">
          <section className="stack">
            <h2>How it is trusted</h2>
            <ProviderForm provider={provider} key={provider.id} />
          </section>
          <div className="stack" style={{ gap: 22 }}>
            <section>
              <h2>What its tokens meet</h2>
              {provider.usedBy.length === 0 ? (
                <p className="quiet">No scheme of any API is bound to it. Open an API, “Scopes and audience”.</p>
              ) : (
                provider.usedBy.map((use) => <div key={use}>{use}</div>)
              )}
            </section>
            <Comparison provider={provider} />
            <Revocations provider={provider} />
          </div>
        </div>
        <section className="stack">
          <h2>Claim map</h2>
          <ClaimMapForm provider={provider} key={`map ${provider.id}`} />
        </section>
      </div>
      {removing && (
        <Confirm
          title={`Trust ${provider.name} no longer`}
          name={provider.name}
          action="Take it out of the draft"
          onNo={() => setRemoving(false)}
          onYes={() => remove.mutate()}
        >
          {provider.usedBy.length > 0
            ? `Its tokens still meet ${provider.usedBy.length} security schemes; unbind it there first.`
            : 'Once published, its tokens are refused everywhere.'}
        </Confirm>
      )}
    </>
  );
}
