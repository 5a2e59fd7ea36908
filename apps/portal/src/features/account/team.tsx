import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Ago, Copyable, ProblemNotice } from '@virga/parts';
import type { InvitationMade, TeamRole, TeamView } from '@virga/protocol';
import { useState } from 'react';
import { Link } from 'react-router';
import { api } from '../../client/api';
import { chooseTeam, siteQuery, useSession, useTeam } from '../../client/site';

/** Who is of one's team, and who is invited. */
export function Team() {
  const session = useSession();
  const team = useTeam();
  if (!session)
    return (
      <p>
        <Link to="/sign-in?back=/team">Sign in first</Link>
      </p>
    );
  return (
    <div className="stack" style={{ gap: 28 }}>
      {team ? <OneTeam key={team.id} id={team.id} /> : <h1>You are of no team yet</h1>}
      {!session.looks && session.state === 'active' && <NewTeam first={team === null} />}
    </div>
  );
}

function OneTeam({ id }: { readonly id: string }) {
  const session = useSession();
  const client = useQueryClient();
  const { data, error } = useQuery({ queryKey: ['team', id], queryFn: () => api.get<TeamView>(`/teams/${id}`) });
  const done = async (): Promise<void> => {
    await client.invalidateQueries({ queryKey: ['team'] });
    await client.invalidateQueries(siteQuery);
  };
  const role = useMutation({
    mutationFn: ({ accountId, to }: { accountId: string; to: TeamRole }) => api.patch(`/teams/${id}/members/${accountId}`, { role: to }),
    onSuccess: done,
  });
  const out = useMutation({ mutationFn: (accountId: string) => api.remove(`/teams/${id}/members/${accountId}`), onSuccess: done });
  if (error) return <ProblemNotice error={error} />;
  if (!data) return <p className="quiet">Reading…</p>;
  const leads = data.role === 'owner' && !session?.looks;
  return (
    <>
      <section>
        <h1 className="breaks">{data.name}</h1>
        <div className="scrolls">
          <table className="list" aria-label="Members">
            <thead>
              <tr>
                <th>Who</th>
                <th>Signs in as</th>
                <th>Is</th>
                <th>Since</th>
                <td />
              </tr>
            </thead>
            <tbody>
              {data.members.map(({ accountId, name, shownName, role: own, since }) => (
                <tr key={accountId}>
                  <td className="breaks">{shownName}</td>
                  <td className="breaks">{name}</td>
                  <td>{own}</td>
                  <td>
                    <Ago at={since} />
                  </td>
                  <td>
                    <span className="row" style={{ justifyContent: 'end' }}>
                      {leads && (
                        <button className="link" onClick={() => role.mutate({ accountId, to: own === 'owner' ? 'member' : 'owner' })}>
                          make {own === 'owner' ? 'a member' : 'an owner'}
                        </button>
                      )}
                      {(leads || accountId === session?.accountId) && !session?.looks && (
                        <button className="link rust" onClick={() => out.mutate(accountId)}>
                          {accountId === session?.accountId ? 'leave' : 'take out'}
                        </button>
                      )}
                    </span>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
        <ProblemNotice error={role.error ?? out.error} />
      </section>
      {leads && <Invitations team={data} onChange={done} />}
    </>
  );
}

function Invitations({ team: { id, invitations }, onChange }: { readonly team: TeamView; readonly onChange: () => Promise<void> }) {
  const [role, setRole] = useState<TeamRole>('member');
  const [note, setNote] = useState('');
  const invite = useMutation({
    mutationFn: () => api.post<InvitationMade>(`/teams/${id}/invitations`, { role, note }),
    onSuccess: async () => {
      setNote('');
      await onChange();
    },
  });
  const withdraw = useMutation({ mutationFn: (invitation: string) => api.remove(`/teams/${id}/invitations/${invitation}`), onSuccess: onChange });
  return (
    <section className="stack">
      <h2>Invite somebody</h2>
      {invite.data && (
        <div className="secret stack" role="status">
          <b>Give this link to whom you invite. It is good once, for a week, and shown this once.</b>
          <div className="row wrap">
            <code data-secret>{invite.data.link}</code>
            <Copyable text={invite.data.link} shown="copy" />
          </div>
        </div>
      )}
      <form
        className="row fields wrap"
        style={{ maxWidth: 620 }}
        onSubmit={(event) => {
          event.preventDefault();
          invite.mutate();
        }}
      >
        <div className="field">
          <label htmlFor="note">For whom it is</label>
          <input id="note" maxLength={200} value={note} onChange={(event) => setNote(event.target.value)} />
        </div>
        <div className="field">
          <label htmlFor="role">As</label>
          <select id="role" value={role} onChange={(event) => setRole(event.target.value as TeamRole)}>
            <option value="member">a member</option>
            <option value="owner">an owner</option>
          </select>
        </div>
        <Button type="submit" variant="contained" disabled={invite.isPending}>
          Make a link
        </Button>
      </form>
      {invitations.length > 0 && (
        <table className="list" aria-label="Open invitations">
          <tbody>
            {invitations.map((one) => (
              <tr key={one.id}>
                <td className="breaks">{one.note || <span className="quiet">for nobody named</span>}</td>
                <td>as {one.role}</td>
                <td>
                  ends <Ago at={one.expiresAt} />
                </td>
                <td>
                  <button className="link rust" onClick={() => withdraw.mutate(one.id)}>
                    withdraw
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <ProblemNotice error={invite.error ?? withdraw.error} />
    </section>
  );
}

function NewTeam({ first }: { readonly first: boolean }) {
  const [name, setName] = useState('');
  const [open, setOpen] = useState(first);
  const client = useQueryClient();
  const make = useMutation({
    mutationFn: () => api.post<{ id: string }>('/teams', { name }),
    onSuccess: async ({ id }) => {
      // It is chosen once it is known: what is done next is done for it.
      await client.invalidateQueries(siteQuery);
      chooseTeam(id);
      await client.invalidateQueries();
      setName('');
      setOpen(false);
    },
  });
  if (!open)
    return (
      <div>
        <button className="link" onClick={() => setOpen(true)}>
          make another team
        </button>
      </div>
    );
  return (
    <form
      className="row fields"
      style={{ maxWidth: 460 }}
      onSubmit={(event) => {
        event.preventDefault();
        make.mutate();
      }}
    >
      <div className="field">
        <label htmlFor="team-name">A new team is called</label>
        <input id="team-name" maxLength={100} value={name} onChange={(event) => setName(event.target.value)} />
        <ProblemNotice error={make.error} />
      </div>
      <Button type="submit" variant="contained" disabled={name.trim() === '' || make.isPending}>
        Make it
      </Button>
    </form>
  );
}
