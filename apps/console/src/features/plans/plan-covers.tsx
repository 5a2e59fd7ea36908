import { useQuery } from '@tanstack/react-query';
import { Method, ProblemNotice } from '@virga/parts';
import type { ApiSummary, OperationView, PlanCoverDto } from '@virga/protocol';
import { useState } from 'react';
import { api } from '../../client/api';
import { apisQuery } from '../apis/queries';

/** So many operations are listed; of more, those that are looked for. */
const LISTED = 200;

/** What a plan opens: whole APIs, or operations of them. */
export function PlanCovers({
  value,
  onChange,
  error,
}: {
  readonly value: readonly PlanCoverDto[];
  readonly onChange: (covers: PlanCoverDto[]) => void;
  readonly error?: unknown;
}) {
  const { data: apis, error: failed } = useQuery(apisQuery);
  const coverOf = (apiId: string) => value.find((cover) => cover.apiId === apiId);
  const set = (apiId: string, operations: PlanCoverDto['operations'] | null) => {
    const others = value.filter((cover) => cover.apiId !== apiId);
    onChange(operations === null ? others : [...others, { apiId, operations }]);
  };
  const gone = apis ? value.filter((cover) => !apis.items.some(({ id }) => id === cover.apiId)) : [];
  const said = messageIn(error);
  return (
    <>
      <ProblemNotice error={failed} />
      {apis?.items.length === 0 && <p className="quiet">There is no API yet.</p>}
      {apis?.items.map((one) => (
        <Cover key={one.id} of={one} cover={coverOf(one.id)} onChange={(operations) => set(one.id, operations)} />
      ))}
      {gone.map(({ apiId }) => (
        <div key={apiId} className="ochre small">
          An API that is gone{' '}
          <button type="button" className="link" onClick={() => set(apiId, null)}>
            drop it
          </button>
        </div>
      ))}
      {said && (
        <div className="rust small" role="alert">
          {said}
        </div>
      )}
    </>
  );
}

function messageIn(error: unknown): string | null {
  if (error === null || typeof error !== 'object') return null;
  const { message } = error as { readonly message?: unknown };
  if (typeof message === 'string' && message !== '') return message;
  return Object.values(error).reduce<string | null>((found, inner) => found ?? messageIn(inner), null);
}

function Cover({
  of,
  cover,
  onChange,
}: {
  readonly of: ApiSummary;
  readonly cover: PlanCoverDto | undefined;
  readonly onChange: (operations: PlanCoverDto['operations'] | null) => void;
}) {
  const some = cover !== undefined && cover.operations !== 'ALL';
  return (
    <div role="group" aria-label={of.name}>
      <div className="row">
        <label className="check grow">
          <input type="checkbox" checked={cover !== undefined} onChange={(event) => onChange(event.target.checked ? 'ALL' : null)} /> {of.name}{' '}
          <span className="quiet">{of.version}</span>
        </label>
        {cover && (
          <select
            aria-label={`Operations of ${of.name}`}
            className="plain"
            style={{ width: 190 }}
            value={some ? 'some' : 'ALL'}
            onChange={(event) => onChange(event.target.value === 'ALL' ? 'ALL' : [])}
          >
            <option value="ALL">all its operations</option>
            <option value="some">some of them</option>
          </select>
        )}
      </div>
      {cover && cover.operations !== 'ALL' && <Operations apiId={of.id} chosen={cover.operations} onChange={onChange} />}
    </div>
  );
}

function Operations({
  apiId,
  chosen,
  onChange,
}: {
  readonly apiId: string;
  readonly chosen: readonly string[];
  readonly onChange: (operations: string[]) => void;
}) {
  const { data, error } = useQuery({
    queryKey: ['apis', apiId, 'operations'],
    queryFn: () => api.get<{ items: OperationView[] }>(`/apis/${apiId}/operations`),
  });
  const [text, setText] = useState('');
  if (error) return <ProblemNotice error={error} />;
  if (!data) return null;
  const found = data.items.filter(({ method, path }) => `${method} ${path}`.toLowerCase().includes(text.toLowerCase()));
  const set = new Set(chosen);
  const gone = chosen.filter((id) => !data.items.some((operation) => operation.id === id));
  return (
    <div style={{ paddingLeft: 24, maxHeight: 220, overflow: 'auto' }}>
      {data.items.length > 12 && (
        <input
          aria-label="Search operations"
          className="plain"
          placeholder="part of a method or path"
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
      )}
      {found.slice(0, LISTED).map(({ id, method, path }) => (
        <label key={id} className="check small">
          <input
            type="checkbox"
            checked={set.has(id)}
            onChange={(event) => onChange(event.target.checked ? [...chosen, id] : chosen.filter((one) => one !== id))}
          />
          <span className="mono breaks">
            <Method name={method} /> {path}
          </span>
        </label>
      ))}
      {found.length > LISTED && <p className="quiet small">and {found.length - LISTED} more; search for them.</p>}
      {gone.length > 0 && (
        <p className="ochre small">
          {gone.length} that are gone{' '}
          <button type="button" className="link" onClick={() => onChange(chosen.filter((id) => !gone.includes(id)))}>
            drop them
          </button>
        </p>
      )}
    </div>
  );
}
