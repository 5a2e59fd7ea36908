import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useQuery } from '@tanstack/react-query';
import { count, Field, inWords, ProblemNotice } from '@virga/parts';
import type { ClientView, LimitStanding } from '@virga/protocol';
import dayjs from 'dayjs';
import { useState } from 'react';
import { Link } from 'react-router';
import { clientStandingQuery, subscribe } from '../plans/queries';
import { plansQuery } from '../apis/plan-queries';
import { Subscriptions } from '../plans/subscriptions';
import { useClientChange } from '../../client/directory-change';

/** The plans of a client, and how each limit of it stands now. */
export function ClientPlans({ client }: { readonly client: ClientView }) {
  const [giving, setGiving] = useState(false);
  return (
    <section className="stack" style={{ marginTop: 18 }}>
      <div className="row">
        <h2 className="grow">Its plans</h2>
        <button className="link" onClick={() => setGiving(true)}>
          give it a plan
        </button>
      </div>
      <Subscriptions filter={{ clientId: client.id }} />
      <Standing clientId={client.id} />
      {giving && <GivePlan client={client} onClose={() => setGiving(false)} />}
    </section>
  );
}

function Standing({ clientId }: { readonly clientId: string }) {
  const { data } = useQuery(clientStandingQuery(clientId));
  if (!data || data.items.length + data.unknown.length + data.silent.length === 0) return null;
  const nodes = new Set(data.items.map(({ node }) => node));
  return (
    <div className="stack" style={{ gap: 6 }} aria-label="Limits now">
      {data.items.map((item) => (
        <Bar key={[item.node, item.rule, item.name, item.whose].join('\n')} item={item} node={nodes.size > 1 ? item.node : null} />
      ))}
      {data.unknown.map(({ name, rule, says }) => (
        <div key={`${rule}\n${name}`} className="standing">
          <span className="clip" title={name}>
            {name}
          </span>
          <span className="quiet small breaks" style={{ gridColumn: 'span 2' }}>
            counted {says}: no request of it in the last day says which ({rule})
          </span>
        </div>
      ))}
      {data.more > 0 && <p className="quiet small">Limits of single operations beside these: {count(data.more)}</p>}
      {data.silent.map((words) => (
        <p key={words} className="ochre small">
          {words}
        </p>
      ))}
    </div>
  );
}

/** How much of a limit is used: a stroke as long as what is used. */
function Bar({ item, node }: { readonly item: LimitStanding; readonly node: string | null }) {
  const { name, rule, whose, of, left, waitMs, resetMs, mode } = item;
  const used = Math.max(0, of - left);
  const share = of === 0 ? 0 : Math.min(1, used / of);
  return (
    <div className="standing">
      <span className="clip" title={name}>
        {name}
        {node && <span className="quiet small"> at {node}</span>}
      </span>
      <svg viewBox="0 0 100 8" preserveAspectRatio="none" role="img" aria-label={`${used} of ${of} used`}>
        <rect width="100" height="8" fill="var(--hairline)" />
        <rect width={share * 100} height="8" fill={left === 0 ? 'var(--rust)' : 'var(--rain)'} />
      </svg>
      <span className="small breaks">
        {count(used)} of {count(of)} used, {count(left)} left
        {left === 0 ? `; room again in ${inWords(waitMs)}` : resetMs !== null && used > 0 ? `; all back in ${inWords(resetMs)}` : ''}
        {mode === 'observe' && <span className="ochre">; only observed</span>}
        <span className="quiet"> ({[whose, rule].filter((words) => words !== '').join('; ')})</span>
      </span>
    </div>
  );
}

function GivePlan({ client, onClose }: { readonly client: ClientView; readonly onClose: () => void }) {
  const { data: plans } = useQuery(plansQuery);
  const [planId, setPlanId] = useState('');
  const [from, setFrom] = useState('');
  const [until, setUntil] = useState('');
  const give = useClientChange(subscribe, onClose);
  const timeOf = (date: string): number | null => (date === '' ? null : dayjs(date).valueOf());
  return (
    <Dialog open onClose={onClose} maxWidth="xs" fullWidth>
      <DialogTitle>Give {client.name} a plan</DialogTitle>
      <DialogContent className="stack">
        {plans?.items.length === 0 ? (
          <p>
            There is no plan yet. <Link to="/plans/new">Make one</Link>
          </p>
        ) : (
          <Field id="give-plan" label="Plan">
            <select id="give-plan" value={planId} onChange={(event) => setPlanId(event.target.value)}>
              <option value="">choose one</option>
              {plans?.items.map((plan) => (
                <option key={plan.id} value={plan.id}>
                  {plan.name}
                  {plan.live ? '' : ' (not published yet)'}
                </option>
              ))}
            </select>
          </Field>
        )}
        <div className="row fields">
          <Field id="give-from" label="Begins" hint="empty: at once">
            <input id="give-from" type="date" value={from} onChange={(event) => setFrom(event.target.value)} />
          </Field>
          <Field id="give-until" label="Ends" hint="empty: never">
            <input id="give-until" type="date" value={until} onChange={(event) => setUntil(event.target.value)} />
          </Field>
        </div>
        <ProblemNotice error={give.error} />
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Leave it</Button>
        <Button
          variant="contained"
          disabled={planId === '' || give.isPending}
          onClick={() => give.mutate({ clientId: client.id, planId, startsAt: timeOf(from), endsAt: timeOf(until) })}
        >
          Give it, at once
        </Button>
      </DialogActions>
    </Dialog>
  );
}
