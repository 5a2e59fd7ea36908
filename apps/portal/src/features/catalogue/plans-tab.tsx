import { useQuery } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import type { OfferedApiView } from '@virga/protocol';
import { useState } from 'react';
import { Link } from 'react-router';
import { useSession, useTeam } from '../../client/site';
import { AskForPlan } from '../clients/ask-for-plan';
import { PLAN_WORDS } from '../clients/plan-words';
import { clientsQuery } from '../clients/queries';

/** How one gets in: the plans that open this API, and what one's own programs have of them. */
export function PlansTab({ api }: { readonly api: OfferedApiView }) {
  const session = useSession();
  const team = useTeam();
  const { data, error } = useQuery(clientsQuery(team?.id ?? ''));
  const [asking, setAsking] = useState<string | null>(null);
  const clients = data?.items ?? [];
  const plan = api.plans.find(({ id }) => id === asking);
  return (
    <div className="stack">
      <p className="prose">{howWords(api)}</p>
      <ProblemNotice error={error} />
      {api.plans.map(({ id, name, description, says, approval }) => {
        const own = clients.flatMap((client) => client.plans.filter(({ planId, now }) => planId === id && now !== 'ended').map((one) => ({ client, one })));
        return (
          <section key={id} className="plan" aria-label={name}>
            <div>
              <h2 style={{ margin: 0 }}>{name}</h2>
              {description !== '' && <p style={{ margin: '2px 0 0' }}>{description}</p>}
              <ul>
                {says.map((one) => (
                  <li key={one}>{one}</li>
                ))}
                {says.length === 0 && <li>as many calls as you like</li>}
                <li className="quiet">{approval === 'by-itself' ? 'yours at once' : 'the operator approves it'}</li>
              </ul>
            </div>
            {session && session.state === 'active' && !session.looks && (
              <button className="link" onClick={() => setAsking(id)}>
                ask for it
              </button>
            )}
            {own.map(({ client, one }) => (
              <div key={one.id} style={{ gridColumn: '1 / -1' }}>
                <Link to={`/clients/${client.id}`}>{client.name}</Link>: <b>{PLAN_WORDS[one.now]}</b>
                {one.answer !== '' && <span className="quiet">. “{one.answer}”</span>}
              </div>
            ))}
          </section>
        );
      })}
      {!session && (
        <p>
          <Link to={`/sign-in?${new URLSearchParams({ back: `/apis/${api.id}/plans` }).toString()}`}>Sign in</Link> to ask for one.
        </p>
      )}
      {plan && <AskForPlan plan={plan} clients={clients} teamId={team?.id ?? null} onDone={() => setAsking(null)} />}
    </div>
  );
}

function howWords({ asksPlan, plans }: OfferedApiView): string {
  if (plans.length === 0)
    return asksPlan
      ? 'It asks for a plan, and none is offered. Ask the operator.'
      : 'No plan is needed. What each operation asks for is said in its reference.';
  return asksPlan
    ? 'A program of yours needs one of these plans, and a key or a token that is its own.'
    : 'What each operation asks for is said in its reference; these plans can go with it.';
}
