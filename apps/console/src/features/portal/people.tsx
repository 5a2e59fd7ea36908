import { useQuery } from '@tanstack/react-query';
import { Ago, Confirm, count, ProblemNotice } from '@virga/parts';
import type { InvitationMade, PortalAccount } from '@virga/protocol';
import { useState } from 'react';
import { api } from '../../client/api';
import { DataTable } from '../../parts/data-table';
import { Mark } from '../../parts/mark';
import { LinkOnce } from './link-once';
import { accountsQuery } from './queries';
import { usePortalChange } from './use-portal-change';

const HOW = { invited: 'invited', registered: 'registered', provider: 'by a provider' } as const;

/** Accounts of the portal. */
export function People() {
  const [text, setText] = useState('');
  const { data, error } = useQuery(accountsQuery(text));
  const set = usePortalChange(
    ({ id, state }: { readonly id: string; readonly state: 'active' | 'off' }) => api.patch(`/portal/accounts/${id}`, { state }),
    'Done, at once',
  );
  const reset = usePortalChange((id: string) => api.post<InvitationMade>(`/portal/accounts/${id}/password`), 'Made');
  const [leaving, setLeaving] = useState<PortalAccount | null>(null);
  const remove = usePortalChange(
    (id: string) => api.remove(`/portal/accounts/${id}`),
    'Taken away, at once',
    () => setLeaving(null),
  );
  return (
    <div className="stack">
      <div className="field" style={{ maxWidth: 260 }}>
        <label htmlFor="find-person">Find by name</label>
        <input id="find-person" type="search" value={text} onChange={(event) => setText(event.target.value)} />
      </div>
      <ProblemNotice error={error ?? set.error ?? reset.error ?? remove.error} />
      {reset.data && <LinkOnce made={reset.data} />}
      {data && data.items.length === 0 && <div className="empty">{text === '' ? 'Nobody has an account yet.' : 'Nobody is called so.'}</div>}
      {data && data.items.length > 0 && (
        <DataTable
          items={data.items}
          label="Accounts"
          columns={[
            { cell: ({ state }) => <Mark kind={state === 'active' ? 'passed' : state === 'off' ? 'refused' : 'unknown'} word={state} /> },
            { head: 'Called', className: 'breaks', cell: ({ shownName }) => <b>{shownName}</b> },
            { head: 'Signs in as', className: 'breaks', cell: ({ name, provider }) => (provider === '' ? name : `${name}, by ${provider}`) },
            { head: 'Teams', className: 'breaks', cell: ({ teams }) => teams.join(', ') || <span className="quiet">none</span> },
            {
              head: 'Came',
              cell: ({ how, madeAt }) => (
                <>
                  {HOW[how]}, <Ago at={madeAt} />
                </>
              ),
            },
            { head: 'Last in', cell: ({ lastSignInAt }) => (lastSignInAt === null ? <span className="quiet">never</span> : <Ago at={lastSignInAt} />) },
            {
              head: 'Decided',
              className: 'small',
              cell: ({ decidedAt, decidedBy }) =>
                decidedAt !== null && (
                  <>
                    <Ago at={decidedAt} />, {decidedBy}
                  </>
                ),
            },
            {
              className: 'number',
              cell: (one) => (
                <Actions
                  one={one}
                  onState={(state) => set.mutate({ id: one.id, state })}
                  onReset={() => reset.mutate(one.id)}
                  onRemove={() => setLeaving(one)}
                />
              ),
            },
          ]}
        />
      )}
      {leaving && (
        <Confirm
          title={`Take the account of ${leaving.shownName} away`}
          action="Take it away"
          onYes={() => remove.mutate(leaving.id)}
          onNo={() => setLeaving(null)}
        >
          It is signed out at once. Its teams keep their programs, and the log keeps what was done with it. Whoever is to stay out is switched off instead: one
          who is gone may come anew.
        </Confirm>
      )}
      {data && data.total > data.items.length && <p className="quiet">and {count(data.total - data.items.length)} more; find them by name.</p>}
    </div>
  );
}

function Actions({
  one: { state, provider },
  onState,
  onReset,
  onRemove,
}: {
  readonly one: PortalAccount;
  readonly onState: (state: 'active' | 'off') => void;
  readonly onReset: () => void;
  readonly onRemove: () => void;
}) {
  return (
    <span className="row" style={{ justifyContent: 'flex-end' }}>
      {provider === '' && state === 'active' && (
        <button className="link" onClick={onReset}>
          new password
        </button>
      )}
      {state !== 'active' && (
        <button className="link" onClick={() => onState('active')}>
          {state === 'waiting' ? 'approve' : 'switch on'}
        </button>
      )}
      {state !== 'off' && (
        <button className="link rust" onClick={() => onState('off')}>
          {state === 'waiting' ? 'decline' : 'switch off'}
        </button>
      )}
      <button className="link rust" onClick={onRemove}>
        take away
      </button>
    </span>
  );
}
