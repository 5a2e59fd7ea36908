import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { count, ProblemNotice } from '@virga/parts';
import type { AuthorizerUse } from '@virga/protocol';
import { useState } from 'react';
import { Link } from 'react-router';
import { apisQuery, operationsQuery } from '../apis/queries';
import { useAuthorizerUses } from './queries';
import { operationPath } from '../../client/places';

const SHOWN = 30;

/** The rules that call it, and a way to let many operations do so at once. */
export function UsesSection({ name, uses }: { readonly name: string; readonly uses: readonly AuthorizerUse[] }) {
  const [adding, setAdding] = useState(false);
  const change = useAuthorizerUses(name);
  return (
    <section className="stack" style={{ gap: 6 }}>
      <h2>Called by</h2>
      {uses.length === 0 && (
        <p className="quiet" style={{ margin: 0 }}>
          No rule: it decides nothing yet.
        </p>
      )}
      <ul style={{ listStyle: 'none', margin: 0, padding: 0 }}>
        {uses.slice(0, SHOWN).map(({ apiId, apiName, operationId, label }) => (
          <li key={`${apiId} ${operationId ?? ''}`} style={{ overflowWrap: 'anywhere' }}>
            <Link to={operationId === null ? `/apis/${apiId}` : operationPath(apiId, operationId)}>{label}</Link> <span className="quiet small">{apiName}</span>{' '}
            <button
              type="button"
              className="link small"
              aria-label={`${label} no longer calls it`}
              onClick={() => change.mutate({ apiId, operationIds: operationId === null ? null : [operationId], called: false })}
            >
              no longer
            </button>
          </li>
        ))}
      </ul>
      {uses.length > SHOWN && <span className="quiet small">and {count(uses.length - SHOWN)} more</span>}
      <ProblemNotice error={change.error} />
      {adding ? (
        <AddUses
          uses={uses}
          busy={change.isPending}
          onAdd={(apiId, operationIds) => change.mutate({ apiId, operationIds, called: true }, { onSuccess: () => setAdding(false) })}
          onClose={() => setAdding(false)}
        />
      ) : (
        <div>
          <button type="button" className="link" onClick={() => setAdding(true)}>
            let operations call it
          </button>
        </div>
      )}
    </section>
  );
}

function AddUses({
  uses,
  busy,
  onAdd,
  onClose,
}: {
  readonly uses: readonly AuthorizerUse[];
  readonly busy: boolean;
  readonly onAdd: (apiId: string, operationIds: string[] | null) => void;
  readonly onClose: () => void;
}) {
  const { data: apis } = useQuery(apisQuery);
  const [chosenApi, setApi] = useState('');
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [filter, setFilter] = useState('');
  const apiId = chosenApi || (apis?.items[0]?.id ?? '');
  const { data: operations } = useQuery({ ...operationsQuery(apiId), enabled: apiId !== '' });
  const called = new Set(uses.filter((use) => use.apiId === apiId).map(({ operationId }) => operationId));
  const items = (operations?.items ?? []).filter(
    ({ id, method, path }) => !called.has(id) && `${method} ${path}`.toLowerCase().includes(filter.trim().toLowerCase()),
  );
  const toggle = (id: string, on: boolean) => setChosen(new Set(on ? [...chosen, id] : [...chosen].filter((other) => other !== id)));
  return (
    <div className="stack" style={{ gap: 6 }}>
      <div className="row">
        <select
          className="plain"
          aria-label="API"
          value={apiId}
          onChange={(event) => {
            setApi(event.target.value);
            setChosen(new Set());
          }}
        >
          {(apis?.items ?? []).map(({ id, name }) => (
            <option key={id} value={id}>
              {name}
            </option>
          ))}
        </select>
        <input className="plain" placeholder="filter" aria-label="Filter operations" value={filter} onChange={(event) => setFilter(event.target.value)} />
      </div>
      <div style={{ maxHeight: 180, overflowY: 'auto' }} role="group" aria-label="Operations">
        {items.slice(0, 300).map(({ id, method, path }) => (
          <label key={id} className="check" style={{ display: 'block', overflowWrap: 'anywhere' }}>
            <input type="checkbox" checked={chosen.has(id)} onChange={(event) => toggle(id, event.target.checked)} /> {method} {path}
          </label>
        ))}
        {items.length > 300 && <span className="quiet small">{count(items.length - 300)} more; filter to see them</span>}
      </div>
      <div className="row wrap">
        <Button variant="outlined" disabled={chosen.size === 0 || busy} onClick={() => onAdd(apiId, [...chosen])}>
          Let {chosen.size} call it
        </Button>
        <button type="button" className="link" onClick={() => setChosen(new Set(items.map(({ id }) => id)))}>
          choose all {count(items.length)}
        </button>
        {!called.has(null) && (
          <button type="button" className="link" onClick={() => onAdd(apiId, null)}>
            the API’s own rule
          </button>
        )}
        <button type="button" className="link" onClick={onClose}>
          leave it
        </button>
      </div>
    </div>
  );
}
