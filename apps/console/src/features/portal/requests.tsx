import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Ago, ProblemNotice } from '@virga/parts';
import type { PortalAccount, SubscriptionChanged, SubscriptionView } from '@virga/protocol';
import { useState } from 'react';
import { Link } from 'react-router';
import { api } from '../../client/api';
import { useClientChange } from '../../client/directory-change';
import { DataTable } from '../../parts/data-table';
import { portalRequestsQuery } from './queries';
import { usePortalChange } from './use-portal-change';

/** What waits until somebody says yes or no. */
export function Requests() {
  const { data, error } = useQuery(portalRequestsQuery);
  if (error) return <ProblemNotice error={error} />;
  if (!data) return <p className="quiet">Reading…</p>;
  const { accounts, subscriptions } = data;
  if (accounts.length + subscriptions.length === 0)
    return (
      <div className="empty">
        Nobody waits. Who makes an account by registration, or asks for a plan that is approved by hand, stands here until you decide.
      </div>
    );
  return (
    <div className="stack" style={{ gap: 24 }}>
      {subscriptions.length > 0 && <Plans items={subscriptions} />}
      {accounts.length > 0 && <Accounts items={accounts} />}
    </div>
  );
}

function Plans({ items }: { readonly items: readonly SubscriptionView[] }) {
  return (
    <section>
      <h2>Plans that are asked for</h2>
      {items.map((one) => (
        <Asked key={one.id} one={one} />
      ))}
    </section>
  );
}

function Asked({ one: { id, clientId, clientName, owner, planId, planName, reason, askedAt, askedBy } }: { readonly one: SubscriptionView }) {
  const [answer, setAnswer] = useState('');
  const client = useQueryClient();
  const decide = useClientChange(
    (state: 'active' | 'ended') => api.patch<SubscriptionChanged>(`/subscriptions/${id}`, { state, ...(answer === '' ? {} : { answer }) }),
    () => void client.invalidateQueries({ queryKey: ['portal'] }),
  );
  return (
    <div className="limit" style={{ marginBottom: 14 }} role="group" aria-label={`${clientName} asks for ${planName}`}>
      <div className="row spread wrap">
        <span className="breaks">
          <Link to={`/clients/${clientId}`}>
            <b>{clientName}</b>
          </Link>
          {owner !== '' && <span className="quiet"> of {owner}</span>} asks for <Link to={`/plans/${planId}`}>{planName}</Link>
        </span>
        <span className="quiet small">
          <Ago at={askedAt} />, {askedBy}
        </span>
      </div>
      {reason !== '' && <p className="breaks">“{reason}”</p>}
      <div className="row fields">
        <div className="field">
          <label htmlFor={`answer-${id}`}>What you answer, which they read</label>
          <input id={`answer-${id}`} maxLength={1000} value={answer} onChange={(event) => setAnswer(event.target.value)} />
        </div>
        <button className="link" disabled={decide.isPending} onClick={() => decide.mutate('active')}>
          approve
        </button>
        <button className="link rust" disabled={decide.isPending} onClick={() => decide.mutate('ended')}>
          decline
        </button>
      </div>
      <ProblemNotice error={decide.error} />
    </div>
  );
}

function Accounts({ items }: { readonly items: readonly PortalAccount[] }) {
  const decide = usePortalChange(
    ({ id, state }: { readonly id: string; readonly state: 'active' | 'off' }) => api.patch(`/portal/accounts/${id}`, { state }),
    'Done, at once',
  );
  return (
    <section>
      <h2>Accounts that wait</h2>
      <ProblemNotice error={decide.error} />
      <DataTable
        items={items}
        label="Accounts that wait"
        columns={[
          { head: 'Called', className: 'breaks', cell: ({ shownName }) => <b>{shownName}</b> },
          { head: 'Signs in as', className: 'breaks', cell: ({ name, provider }) => (provider === '' ? name : `${name}, by ${provider}`) },
          { head: 'Team', className: 'breaks', cell: ({ teams }) => teams.join(', ') || <span className="quiet">none yet</span> },
          { head: 'Says', className: 'breaks', cell: ({ reason }) => reason || <span className="quiet">nothing</span> },
          { head: 'Since', cell: ({ madeAt }) => <Ago at={madeAt} /> },
          {
            className: 'number',
            cell: ({ id }) => (
              <span className="row" style={{ justifyContent: 'flex-end' }}>
                <button className="link" disabled={decide.isPending} onClick={() => decide.mutate({ id, state: 'active' })}>
                  approve
                </button>
                <button className="link rust" disabled={decide.isPending} onClick={() => decide.mutate({ id, state: 'off' })}>
                  decline
                </button>
              </span>
            ),
          },
        ]}
      />
    </section>
  );
}
