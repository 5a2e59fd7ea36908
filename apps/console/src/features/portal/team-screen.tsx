import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { Ago, Confirm, ProblemNotice } from '@virga/parts';
import type { InvitationMade, PortalTeam, TeamRole } from '@virga/protocol';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { api } from '../../client/api';
import { DataTable } from '../../parts/data-table';
import { LinkOnce } from './link-once';
import { LookAs } from './look-as';
import { teamQuery } from './queries';
import { usePortalChange } from './use-portal-change';

/** One team: its people, who is invited, its clients. */
export function TeamScreen({ id }: { readonly id: string }) {
  const { data, error } = useQuery(teamQuery(id));
  if (error) return <ProblemNotice error={error} />;
  if (!data) return <p className="quiet">Reading…</p>;
  return (
    <div className="stack" style={{ gap: 22 }}>
      <Head team={data} />
      <People team={data} />
      <Invite team={data} />
      <section>
        <h2>Clients</h2>
        {data.programs.length === 0 ? (
          <p className="quiet">It has none. It makes its own in the portal; one that you keep is given to it on the client’s page.</p>
        ) : (
          <ul className="plain-list">
            {data.programs.map((one) => (
              <li key={one.id} className="breaks">
                <Link to={`/clients/${one.id}`}>{one.name}</Link>
              </li>
            ))}
          </ul>
        )}
      </section>
    </div>
  );
}

function Head({ team: { id, name } }: { readonly team: PortalTeam }) {
  const [removing, setRemoving] = useState(false);
  const go = useNavigate();
  const remove = usePortalChange(
    () => api.remove(`/portal/teams/${id}`),
    'Taken away',
    () => void go('/portal/teams'),
  );
  return (
    <div>
      <div className="row spread wrap">
        <h2 className="breaks" style={{ fontSize: 20, margin: 0 }}>
          {name}
        </h2>
        <span className="row">
          <LookAs teamId={id}>look as this team</LookAs>
          <button className="link rust" onClick={() => setRemoving(true)}>
            take it away
          </button>
        </span>
      </div>
      <ProblemNotice error={remove.error} />
      {removing && (
        <Confirm
          title={`Take ${name} away`}
          action="Take it away"
          onNo={() => setRemoving(false)}
          onYes={() => remove.mutate(undefined, { onSettled: () => setRemoving(false) })}
        >
          Its people stay, without it. A team that has clients cannot be taken away.
        </Confirm>
      )}
    </div>
  );
}

function People({ team: { id, people } }: { readonly team: PortalTeam }) {
  const role = usePortalChange(
    ({ accountId, to }: { readonly accountId: string; readonly to: TeamRole }) => api.patch(`/portal/teams/${id}/members/${accountId}`, { role: to }),
    'Done, at once',
  );
  const out = usePortalChange((accountId: string) => api.remove(`/portal/teams/${id}/members/${accountId}`), 'Taken out, at once');
  return (
    <section>
      <h2>People</h2>
      <ProblemNotice error={role.error ?? out.error} />
      {people.length === 0 ? (
        <p className="quiet">Nobody yet. Invite an owner, who can invite the others.</p>
      ) : (
        <DataTable
          items={people}
          label="People"
          keyOf={({ accountId }) => accountId}
          columns={[
            { head: 'Called', className: 'breaks', cell: ({ shownName }) => <b>{shownName}</b> },
            { head: 'Signs in as', className: 'breaks', cell: ({ name }) => name },
            { head: 'Is', cell: (one) => one.role },
            {
              head: 'Stands',
              cell: ({ state }) => (state === 'active' ? 'active' : <span className="ochre">{state === 'off' ? 'switched off' : 'waits'}</span>),
            },
            { head: 'Since', cell: ({ since }) => <Ago at={since} /> },
            {
              className: 'number',
              cell: ({ accountId, role: is }) => (
                <span className="row" style={{ justifyContent: 'flex-end' }}>
                  <button className="link" onClick={() => role.mutate({ accountId, to: is === 'owner' ? 'member' : 'owner' })}>
                    make {is === 'owner' ? 'a member' : 'an owner'}
                  </button>
                  <button className="link rust" onClick={() => out.mutate(accountId)}>
                    take out
                  </button>
                </span>
              ),
            },
          ]}
        />
      )}
    </section>
  );
}

function Invite({ team: { id, invitations } }: { readonly team: PortalTeam }) {
  const [role, setRole] = useState<TeamRole>('owner');
  const [note, setNote] = useState('');
  const invite = usePortalChange(() => api.post<InvitationMade>(`/portal/teams/${id}/invitations`, { role, note }), 'Made');
  const withdraw = usePortalChange((one: string) => api.remove(`/portal/teams/${id}/invitations/${one}`), 'Withdrawn');
  return (
    <section className="stack">
      <h2>Invitations</h2>
      {invite.data && <LinkOnce made={invite.data} />}
      <form
        className="row fields wrap"
        style={{ maxWidth: 620 }}
        onSubmit={(event) => {
          event.preventDefault();
          invite.mutate(undefined);
        }}
      >
        <div className="field">
          <label htmlFor="invite-note">For whom it is</label>
          <input id="invite-note" maxLength={200} value={note} onChange={(event) => setNote(event.target.value)} />
        </div>
        <div className="field">
          <label htmlFor="invite-role">As</label>
          <select id="invite-role" value={role} onChange={(event) => setRole(event.target.value as TeamRole)}>
            <option value="owner">an owner, who can invite others</option>
            <option value="member">a member</option>
          </select>
        </div>
        <Button type="submit" variant="contained" disabled={invite.isPending}>
          Make a link
        </Button>
      </form>
      <ProblemNotice error={invite.error ?? withdraw.error} />
      {invitations.length > 0 && (
        <DataTable
          items={invitations}
          label="Open invitations"
          columns={[
            { head: 'For', className: 'breaks', cell: (one) => one.note || <span className="quiet">nobody named</span> },
            { head: 'As', cell: (one) => one.role },
            { head: 'By', className: 'breaks', cell: ({ madeBy }) => madeBy },
            { head: 'Ends', cell: ({ expiresAt }) => <Ago at={expiresAt} /> },
            {
              className: 'number',
              cell: (one) => (
                <button className="link rust" onClick={() => withdraw.mutate(one.id)}>
                  withdraw
                </button>
              ),
            },
          ]}
        />
      )}
    </section>
  );
}
