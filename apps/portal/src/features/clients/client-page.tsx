import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Ago, Confirm, ProblemNotice } from '@virga/parts';
import type { OwnClient } from '@virga/protocol';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { NoSuchPage } from '../../parts/no-page';
import { api, ApiProblem } from '../../client/api';
import { useSession, useTeam } from '../../client/site';
import { NoTeam } from './client-list';
import { Credentials } from './credentials';
import { Limits } from './limits';
import { PLAN_WORDS } from './plan-words';
import { clientQuery, clientsOf } from './queries';
import { Use } from './use';

/** One program: its keys, its plans, what it used and what is left. */
export function ClientPage() {
  const { id = '' } = useParams();
  const team = useTeam();
  const { data, error } = useQuery(clientQuery(team?.id ?? '', id));
  if (!team) return <NoTeam />;
  if (error instanceof ApiProblem && error.status === 404) return <NoSuchPage />;
  if (error) return <ProblemNotice error={error} />;
  if (!data) return <p className="quiet">Reading…</p>;
  return (
    <div className="stack" style={{ gap: 26 }}>
      <Head client={data} teamId={team.id} />
      <Credentials client={data} teamId={team.id} />
      <Plans client={data} teamId={team.id} />
      <Limits teamId={team.id} id={id} />
      <Use teamId={team.id} id={id} />
    </div>
  );
}

function Head({ client: one, teamId }: { readonly client: OwnClient; readonly teamId: string }) {
  const session = useSession();
  const [removing, setRemoving] = useState(false);
  const [name, setName] = useState<string | null>(null);
  const client = useQueryClient();
  const go = useNavigate();
  const rename = useMutation({
    mutationFn: () => api.patch(`${clientsOf(teamId)}/${one.id}`, { name }),
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: ['clients'] });
      setName(null);
    },
  });
  const remove = useMutation({
    mutationFn: () => api.remove(`${clientsOf(teamId)}/${one.id}`),
    onSuccess: async () => {
      await client.invalidateQueries({ queryKey: ['clients', teamId], exact: true });
      await go('/clients');
    },
  });
  return (
    <div>
      <Link to="/clients" className="small">
        all programs
      </Link>
      <div className="row spread wrap">
        {name === null ? (
          <h1 className="breaks">{one.name}</h1>
        ) : (
          <form
            className="row fields"
            onSubmit={(event) => {
              event.preventDefault();
              rename.mutate();
            }}
          >
            <div className="field">
              <label htmlFor="rename">Its name</label>
              <input id="rename" maxLength={100} autoFocus value={name} onChange={(event) => setName(event.target.value)} />
            </div>
            <button className="link">keep</button>
          </form>
        )}
        {!session?.looks && (
          <span className="row">
            <button className="link" onClick={() => setName(name === null ? one.name : null)}>
              {name === null ? 'call it otherwise' : 'leave the name'}
            </button>
            <button className="link rust" onClick={() => setRemoving(true)}>
              take it away
            </button>
          </span>
        )}
      </div>
      {!one.enabled && <p className="notice wrong">The operator switched it off: nothing of it is accepted.</p>}
      <ProblemNotice error={rename.error ?? remove.error} />
      {removing && (
        <Confirm title={`Take ${one.name} away`} action="Take it away" onYes={() => remove.mutate()} onNo={() => setRemoving(false)}>
          Its keys are refused at once, its plans and its counts are gone.
        </Confirm>
      )}
    </div>
  );
}

function Plans({ client: one, teamId }: { readonly client: OwnClient; readonly teamId: string }) {
  const session = useSession();
  const client = useQueryClient();
  const back = useMutation({
    mutationFn: (id: string) => api.remove(`${clientsOf(teamId)}/${one.id}/plans/${id}`),
    onSuccess: () => client.invalidateQueries({ queryKey: ['clients'] }),
  });
  return (
    <section>
      <h2>Plans</h2>
      {one.plans.length === 0 ? (
        <p className="quiet">
          It has none. They are asked for at <Link to="/">an API</Link>, under “Getting in”.
        </p>
      ) : (
        <div className="scrolls">
          <table className="list" aria-label="Plans">
            <tbody>
              {one.plans.map(({ id, planName, says, now, reason, answer, askedAt, askedBy, endsAt }) => (
                <tr key={id} className={now === 'ended' || now === 'declined' ? 'quiet' : ''}>
                  <td>
                    <b>{planName}</b>
                    <div className="small">{says.join('; ')}</div>
                  </td>
                  <td>
                    {PLAN_WORDS[now]}
                    {endsAt !== null && now === 'active' && (
                      <>
                        , ends <Ago at={endsAt} />
                      </>
                    )}
                    {answer !== '' && <div>“{answer}”</div>}
                  </td>
                  <td className="small">
                    asked <Ago at={askedAt} /> by {askedBy}
                    {reason !== '' && <div className="breaks">“{reason}”</div>}
                  </td>
                  <td>
                    {!session?.looks && now !== 'ended' && now !== 'declined' && (
                      <button className="link" disabled={back.isPending} onClick={() => back.mutate(id)}>
                        {now === 'waiting' ? 'ask no more' : 'give it back'}
                      </button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      <ProblemNotice error={back.error} />
    </section>
  );
}
