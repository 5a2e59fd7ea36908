import { useQueries, useQuery } from '@tanstack/react-query';
import { newlyEnforced, STEP_NAMES } from '@virga/core';
import { Link } from 'react-router';
import { count, ProblemNotice } from '@virga/parts';
import { withQuery } from '../../client/api';
import { documentQuery } from '../let-through/queries';
import { observedQuery } from '../../client/observed';

const SHOWN = 5;

/** Checks that observe by what is live and refuse by the draft, with what they would have refused of the requests that were kept. */
export function BeginningToRefuse({ live, revision }: { readonly live: number; readonly revision: string }) {
  const { data: draft, error } = useQuery(documentQuery('draft', revision));
  const { data: before, error: beforeError } = useQuery(documentQuery(live, revision));
  const checks = draft && before ? newlyEnforced(before, draft) : [];
  const apis = [...new Set(checks.map(({ apiId }) => apiId))];
  const observed = useQueries({ queries: apis.map((id) => observedQuery(id)) });
  const problem = error ?? beforeError ?? observed.find((one) => one.error)?.error;
  if (problem) return <ProblemNotice error={problem} />;
  if (!draft || !before || observed.some(({ data }) => !data)) return <p className="quiet">Looking at what was observed…</p>;
  if (checks.length === 0) return <p className="quiet">No check that only observed.</p>;
  const rows = checks
    .map((check) => {
      const seen =
        observed[apis.indexOf(check.apiId)]?.data?.items.filter(({ operationId, step }) => operationId === check.operationId && step === check.check) ?? [];
      return { ...check, requests: seen.reduce((sum, { requests }) => sum + requests, 0), callers: seen.length };
    })
    .sort((a, b) => b.requests - a.requests);
  const refused = rows.filter(({ requests }) => requests > 0);
  return (
    <div>
      <p style={{ margin: 0 }}>
        {checks.length === 1 ? '1 check of an operation' : `${count(checks.length)} checks of operations`}{' '}
        {refused.length === 0 ? 'that would have refused no request that was kept.' : 'and these would have been refused:'}
      </p>
      <ul className="plain-list">
        {refused.slice(0, SHOWN).map(({ apiId, operationId, check, requests, callers }) => (
          <li key={`${apiId} ${operationId} ${check}`} className="breaks">
            <Link to={withQuery('/traces', { outcome: 'would-refuse', api: apiId, operation: operationId, step: check })}>{count(requests)} requests</Link> of{' '}
            {callers} {callers === 1 ? 'caller' : 'callers'} at {STEP_NAMES[check]}, <span className="mono small">{operationId}</span>
          </li>
        ))}
        {refused.length > SHOWN && <li className="quiet">and {count(refused.length - SHOWN)} more</li>}
      </ul>
    </div>
  );
}
