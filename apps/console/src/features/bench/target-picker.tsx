import { useQuery } from '@tanstack/react-query';
import { Field } from '@virga/parts';
import type { BenchTarget } from '@virga/protocol';
import { useContext } from 'react';
import { apisQuery, operationsQuery } from '../apis/queries';
import { providersQuery } from '../providers/queries';
import { BenchContext } from './bench-state';

/** What a token is held against: draft or live, and there an operation, an API or a provider alone. */
export function TargetPicker() {
  const { target, aim } = useContext(BenchContext);
  const { data: apis } = useQuery(apisQuery);
  const { data: providers } = useQuery(providersQuery);
  const { data: operations } = useQuery({ ...operationsQuery(target.apiId ?? ''), enabled: target.apiId !== undefined });
  const asking = (operations?.items ?? []).filter((item) => item.effective === 'required');
  const what = target.apiId !== undefined ? `api ${target.apiId}` : target.providerId !== undefined ? `provider ${target.providerId}` : '';
  const choose = (value: string) => {
    const [kind, id = ''] = value.split(' ');
    aim({ apiId: kind === 'api' ? id : undefined, providerId: kind === 'provider' ? id : undefined, operationId: undefined });
  };
  return (
    <div className="stack" style={{ gap: 8 }}>
      <div className="row fields">
        <Field id="target-against" label="Hold it against">
          <select id="target-against" value={target.against} onChange={(event) => aim({ against: event.target.value as 'draft' | 'live', trustBench: false })}>
            <option value="draft">the draft</option>
            <option value="live">what is live</option>
          </select>
        </Field>
        <Field id="target-what" label="API or provider">
          <select id="target-what" value={what} onChange={(event) => choose(event.target.value)}>
            <option value="">choose one</option>
            <optgroup label="APIs">
              {(apis?.items ?? []).map((item) => (
                <option key={item.id} value={`api ${item.id}`}>
                  {item.name}
                </option>
              ))}
            </optgroup>
            <optgroup label="Providers alone">
              {(providers?.items ?? []).map((item) => (
                <option key={item.id} value={`provider ${item.id}`}>
                  {item.name}
                </option>
              ))}
            </optgroup>
          </select>
        </Field>
      </div>
      {target.apiId !== undefined && (
        <Field id="target-operation" label="Operation" hint={asking.length === 0 ? 'No operation of it asks for a token' : undefined}>
          <select
            id="target-operation"
            className="mono"
            value={target.operationId ?? ''}
            onChange={(event) => aim({ operationId: event.target.value || undefined })}
          >
            <option value="">its default rule</option>
            {asking.slice(0, 2000).map((item) => (
              <option key={item.id} value={item.id}>
                {item.method} {item.path}
              </option>
            ))}
          </select>
        </Field>
      )}
      {target.against === 'draft' && (
        <label className="check small">
          <input type="checkbox" checked={target.trustBench ?? false} onChange={(event) => aim({ trustBench: event.target.checked })} /> for this question,
          trust the bench’s own issuer too
        </label>
      )}
    </div>
  );
}

export const isAimed = (target: BenchTarget): boolean => target.apiId !== undefined || target.providerId !== undefined;
