import { useQuery } from '@tanstack/react-query';
import { count, ProblemNotice } from '@virga/parts';
import type { AuthorizerSummary } from '@virga/protocol';
import { Link } from 'react-router';
import { DataTable, type Column } from '../../parts/data-table';
import { authorizerPath } from '../../client/places';
import { authorizersQuery } from '../apis/authorizer-queries';
import { callsOf, milliseconds } from './cost';

/** Code of one's own and decision services, which say whether a request may pass. */
export function AuthorizerList() {
  const { data, error } = useQuery(authorizersQuery);
  const items = data?.items ?? [];
  return (
    <>
      <div className="page-head">
        <h1>Authorizers</h1>
        <span className="quiet">Code of your own, or a service that decides. Whatever comes to no answer refuses.</span>
      </div>
      <ProblemNotice error={error} />
      {data && (
        <div className="stack" style={{ gap: 20 }}>
          {items.length === 0 && (
            <p className="quiet" style={{ margin: 0 }}>
              For what a condition cannot say: a script in a sandbox, or a decision service over AuthZEN. One is tried with cases before any rule calls it.
            </p>
          )}
          {items.length > 0 && (
            <DataTable items={items} label="Authorizers" columns={COLUMNS} keyOf={({ name }) => name} to={({ name }) => authorizerPath(name)} />
          )}
          <div>
            <Link to="/authorizers/new">make an authorizer</Link>
          </div>
          {items.length > 0 && (
            <p className="quiet small" style={{ margin: 0 }}>
              Counts and times are of all nodes since each started.
            </p>
          )}
        </div>
      )}
    </>
  );
}

const KINDS = { script: 'script', service: 'decision service' } as const;

const COLUMNS: readonly Column<AuthorizerSummary>[] = [
  { head: 'Authorizer', cell: ({ name }, open) => <span style={{ whiteSpace: 'nowrap' }}>{open(name)}</span> },
  { head: 'What it is for', cell: ({ description }) => <span style={{ overflowWrap: 'anywhere' }}>{description}</span> },
  { head: '', cell: ({ kind, cached }) => `${KINDS[kind]}${cached ? ', answers kept' : ''}` },
  { head: 'Cases', className: 'number', cell: ({ caseCount }) => (caseCount === 0 ? <span className="ochre">none</span> : count(caseCount)) },
  {
    head: 'Called by',
    cell: ({ useCount }) => (useCount === 0 ? <span className="quiet">no rule</span> : `${count(useCount)} ${useCount === 1 ? 'rule' : 'rules'}`),
  },
  { head: 'asked', className: 'number', cell: ({ cost }) => count(callsOf(cost)) },
  { head: 'denied', className: 'number', cell: ({ cost }) => (cost.denied + cost.signIn === 0 ? '' : count(cost.denied + cost.signIn)) },
  { head: 'failed', className: 'number', cell: ({ cost }) => (cost.failed === 0 ? '' : <span className="rust">{count(cost.failed)}</span>) },
  { head: '95 of 100 within', className: 'number', cell: ({ cost }) => milliseconds(cost.p95) },
];
