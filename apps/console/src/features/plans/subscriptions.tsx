import { useQuery } from '@tanstack/react-query';
import { Ago, count, ProblemNotice } from '@virga/parts';
import type { SubscriptionView } from '@virga/protocol';
import { Link } from 'react-router';
import { DataTable, type Column } from '../../parts/data-table';
import { Mark, type MarkKind } from '../../parts/mark';
import { useClientChange } from '../../client/directory-change';
import { changeSubscription, subscriptionsQuery, type SubscriptionFilter } from './queries';

const SHOWN = 100;
const MARKS: Readonly<Record<SubscriptionView['now'], MarkKind>> = {
  active: 'passed',
  waiting: 'unknown',
  suspended: 'would-refuse',
  ended: 'skipped',
  'not-yet': 'unknown',
};
const WORDS: Readonly<Record<SubscriptionView['now'], string>> = {
  active: 'active',
  waiting: 'waits for approval',
  suspended: 'suspended',
  ended: 'ended',
  'not-yet': 'not begun',
};

/** Subscriptions with what can be done about each; what is done acts at once. */
export function Subscriptions({ filter }: { readonly filter: SubscriptionFilter }) {
  const { data, error } = useQuery(subscriptionsQuery(filter, SHOWN));
  const change = useClientChange(changeSubscription);
  if (error) return <ProblemNotice error={error} />;
  if (!data) return <p className="quiet">Reading…</p>;
  if (data.items.length === 0) return <p className="quiet">{filter.clientId ? 'It has no plan.' : 'No client has a plan yet.'}</p>;
  const set = (one: SubscriptionView, state: 'active' | 'suspended' | 'ended') => change.mutate({ id: one.id, state });
  const columns: Column<SubscriptionView>[] = [
    { cell: ({ now }) => <Mark kind={MARKS[now]} word={WORDS[now]} /> },
    ...(filter.clientId ? [] : [{ head: 'Client', cell: (one: SubscriptionView) => <Link to={`/clients/${one.clientId}`}>{one.clientName}</Link> }]),
    ...(filter.planId ? [] : [{ head: 'Plan', cell: (one: SubscriptionView) => <Link to={`/plans/${one.planId}`}>{one.planName}</Link> }]),
    {
      head: 'Stands',
      cell: ({ now, reason, answer, declined }) => (
        <>
          {declined ? 'declined' : WORDS[now]}
          {answer && <span className="quiet small breaks"> (“{answer}”)</span>}
          {reason && <div className="quiet small breaks">“{reason}”</div>}
        </>
      ),
    },
    { head: 'Begins', className: 'small', cell: ({ startsAt }) => (startsAt === null ? <span className="quiet">at once</span> : <Ago at={startsAt} />) },
    { head: 'Ends', className: 'small', cell: ({ endsAt }) => (endsAt === null ? <span className="quiet">never</span> : <Ago at={endsAt} />) },
    {
      head: 'Decided',
      className: 'small',
      cell: ({ decidedAt, decidedBy, askedAt, askedBy }) =>
        decidedAt === null ? (
          <>
            asked <Ago at={askedAt} />, {askedBy}
          </>
        ) : (
          <>
            <Ago at={decidedAt} />, {decidedBy}
          </>
        ),
    },
    {
      className: 'number',
      cell: (one) =>
        one.state !== 'ended' && (
          <span className="row" style={{ justifyContent: 'flex-end' }}>
            {one.state !== 'active' && (
              <button className="link" disabled={change.isPending} onClick={() => set(one, 'active')}>
                {one.state === 'waiting' ? 'approve' : 'resume'}
              </button>
            )}
            {one.state === 'active' && (
              <button className="link" disabled={change.isPending} onClick={() => set(one, 'suspended')}>
                suspend
              </button>
            )}
            <button className="link rust" disabled={change.isPending} onClick={() => set(one, 'ended')}>
              {one.state === 'waiting' ? 'refuse' : 'end'}
            </button>
          </span>
        ),
    },
  ];
  return (
    <>
      <ProblemNotice error={change.error} />
      <DataTable items={data.items} label="Subscriptions" columns={columns} rowClass={({ now }) => (now === 'ended' ? 'quiet' : '')} />
      {data.total > data.items.length && <p className="quiet">and {count(data.total - data.items.length)} more.</p>}
    </>
  );
}
