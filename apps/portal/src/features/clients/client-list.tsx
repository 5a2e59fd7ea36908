import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Ago, ProblemNotice } from '@virga/parts';
import type { OwnClient } from '@virga/protocol';
import { useState } from 'react';
import { Link, useNavigate } from 'react-router';
import { api } from '../../client/api';
import { useSession, useTeam } from '../../client/site';
import { PLAN_WORDS } from './plan-words';
import { clientsOf, clientsQuery } from './queries';

/** The programs of a team: what calls with its keys and tokens. */
export function ClientList() {
  const team = useTeam();
  const session = useSession();
  const { data, error } = useQuery(clientsQuery(team?.id ?? ''));
  const [name, setName] = useState('');
  const client = useQueryClient();
  const go = useNavigate();
  const add = useMutation({
    mutationFn: () => api.post<OwnClient>(clientsOf(team?.id ?? ''), { name }),
    onSuccess: async ({ id }) => {
      await client.invalidateQueries({ queryKey: ['clients'] });
      await go(`/clients/${id}`);
    },
  });
  if (!team) return <NoTeam />;
  return (
    <div className="stack">
      <h1>Programs of {team.name}</h1>
      <p className="prose quiet" style={{ margin: 0 }}>
        Each program that calls has keys, plans and counts of its own. All of your team see them.
      </p>
      <ProblemNotice error={error} />
      {data && data.items.length > 0 && (
        <div className="scrolls">
          <table className="list" aria-label="Programs">
            <thead>
              <tr>
                <th>Name</th>
                <th>Keys</th>
                <th>Plans</th>
                <th>Last call</th>
              </tr>
            </thead>
            <tbody>
              {data.items.map((one) => (
                <tr key={one.id} className="can-open">
                  <td className="breaks">
                    <Link className="row-link" to={`/clients/${one.id}`}>
                      {one.name}
                    </Link>
                    {!one.enabled && <span className="ochre"> switched off by the operator</span>}
                  </td>
                  <td>{one.credentials.filter(({ state }) => state === 'good').length || <span className="quiet">none</span>}</td>
                  <td>
                    {one.plans
                      .filter(({ now }) => now !== 'ended' && now !== 'declined')
                      .map(({ planName, now }) => `${planName} (${PLAN_WORDS[now]})`)
                      .join(', ') || <span className="quiet">none</span>}
                  </td>
                  <td>
                    <LastCall client={one} />
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {data?.items.length === 0 && <div className="empty">There is no program yet. Make one, then ask for a plan for it and make a key.</div>}
      {!session?.looks && (
        <form
          className="row fields"
          style={{ maxWidth: 460 }}
          onSubmit={(event) => {
            event.preventDefault();
            add.mutate();
          }}
        >
          <div className="field">
            <label htmlFor="name">A new program is called</label>
            <input id="name" maxLength={100} value={name} onChange={(event) => setName(event.target.value)} />
          </div>
          <Button type="submit" variant="contained" disabled={name.trim() === '' || add.isPending}>
            Make it
          </Button>
        </form>
      )}
      <ProblemNotice error={add.error} />
    </div>
  );
}

function LastCall({ client: { credentials } }: { readonly client: OwnClient }) {
  const last = Math.max(0, ...credentials.map(({ lastUsedAt }) => lastUsedAt ?? 0));
  return last === 0 ? <span className="quiet">never</span> : <Ago at={last} />;
}

export function NoTeam() {
  const session = useSession();
  return (
    <div className="stack">
      <h1>Your programs</h1>
      <p>
        {session ? (
          <>
            You are of no team yet. <Link to="/team">Make one</Link>, or ask somebody of a team for an invitation.
          </>
        ) : (
          <Link to="/sign-in?back=/clients">Sign in first</Link>
        )}
      </p>
    </div>
  );
}
