import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import { listKeys } from '../../parts/list-keys';
import { Mark } from '../../parts/mark';
import { ProblemNotice } from '../../parts/problem-notice';
import { count } from '../../parts/time';
import { apisQuery } from './queries';

const STATES = { same: 'live', changed: 'changed, not published', new: 'not published yet' } as const;

/** All APIs of the draft. */
export function ApiListScreen() {
  const { data, error } = useQuery({ ...apisQuery, refetchInterval: 10_000 });
  const [query, setQuery] = useSearchParams();
  const filter = query.get('filter') ?? '';
  const items = (data?.items ?? []).filter((item) =>
    `${item.name} ${item.version} ${item.basePath} ${item.upstreamUrl}`.toLowerCase().includes(filter.toLowerCase()),
  );
  return (
    <>
      <div className="page-head">
        <h1>APIs</h1>
        <div className="field" style={{ width: 220 }}>
          <input
            aria-label="Filter APIs"
            placeholder="Filter APIs"
            value={filter}
            onChange={(event) => setQuery(event.target.value ? { filter: event.target.value } : {}, { replace: true })}
          />
        </div>
        <div className="after">
          <Button variant="contained" component={Link} to="/apis/new">
            Bring an API in
          </Button>
        </div>
      </div>
      <ProblemNotice error={error} />
      {data?.items.length === 0 && (
        <div className="empty">
          <h2>No API yet</h2>
          <p>
            An API comes in from its OpenAPI 3.0 or 3.1 description: a file, pasted text or an address. What the description declares about security becomes the
            first draft of who may call what.
          </p>
          <Link to="/apis/new">Bring the first one in</Link>
        </div>
      )}
      {data && data.items.length > 0 && (
        <table className="list" onKeyDown={listKeys}>
          <thead>
            <tr>
              <th>Name</th>
              <th>At</th>
              <th className="hide-narrow">Upstream</th>
              <th>State</th>
              <th className="number">operations</th>
              <th>Who may call</th>
              <th className="number">24 h</th>
              <th className="number">stopped</th>
            </tr>
          </thead>
          <tbody>
            {items.map((item, index) => (
              <tr key={item.id} className="can-open">
                <td>
                  <Link to={`/apis/${item.id}`} className="row-link" data-row={index}>
                    {item.name}
                  </Link>{' '}
                  <span className="quiet">{item.version}</span>
                </td>
                <td className="mono">{item.basePath || '/'}</td>
                <td className="mono hide-narrow">{item.upstreamUrl.replace(/^https?:\/\//, '')}</td>
                <td className={item.state === 'same' ? '' : 'ochre'}>
                  {item.enabled ? '' : 'switched off, '}
                  {STATES[item.state]}
                </td>
                <td className="number">{count(item.operationCount)}</td>
                <td>
                  {item.openCount > 0 ? (
                    <span className="rust">
                      <Mark kind="refused" word="nobody decided" /> {count(item.openCount)} open to anyone
                    </span>
                  ) : (
                    <span className="quiet">{item.publicCount > 0 ? `${item.publicCount} said public` : 'proof everywhere'}</span>
                  )}
                  {item.observedCount > 0 && (
                    <span className="ochre">
                      {' '}
                      <Mark kind="would-refuse" word="only observing" /> {count(item.observedCount)} only observe
                    </span>
                  )}
                </td>
                <td className="number">{count(item.requests)}</td>
                <td className="number">{item.requests === 0 ? '' : `${((item.refused / item.requests) * 100).toFixed(1)} %`}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {data && data.items.length > 0 && items.length === 0 && <p className="quiet">No API has “{filter}” in its name, path or upstream.</p>}
    </>
  );
}
