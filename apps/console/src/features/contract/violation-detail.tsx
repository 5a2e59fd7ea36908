import { useMutation, useQuery } from '@tanstack/react-query';
import { Ago, count, ProblemNotice } from '@virga/parts';
import type { TraceView, ViolationView } from '@virga/protocol';
import { useContext } from 'react';
import { Link } from 'react-router';
import { api, withQuery } from '../../client/api';
import { operationPath } from '../../client/places';
import { AcceptChange } from '../../parts/accept-change';
import { Mark } from '../../parts/mark';
import { ProbeContext } from '../probe/probe-state';
import { placeQuery } from './queries';
import { placeWords } from './violations-table';

/** One kind of deviation: what was wanted, where that is said, who sends it, and how the contract could accept it. */
export function ViolationDetail({ item }: { readonly item: ViolationView }) {
  const { apiId, operationId, rule, refused, wouldRefuse, callers, callerNames } = item;
  const place = useQuery({ ...placeQuery(apiId, rule), enabled: rule !== '' });
  return (
    <aside className="why stack" aria-label="This deviation">
      <h2>
        <Mark kind={refused > 0 ? 'refused' : 'would-refuse'} /> {placeWords(item) === '–' ? item.partName : placeWords(item)}
      </h2>
      <p style={{ margin: 0 }}>
        {item.part === 'contract-security' ? (
          <>
            The contract declares <b className="breaks">{item.wanted}</b>; nothing of that was sent.
          </>
        ) : item.wanted === '' ? (
          <>
            Refused as <span className="mono">{item.code}</span>; the trace says more.
          </>
        ) : (
          <>
            The contract wants <b className="breaks">{item.wanted}</b>, found was {item.found}. The value itself is not kept.
          </>
        )}
      </p>
      <p className="quiet small" style={{ margin: 0 }}>
        {refused > 0 && `${count(refused)} refused. `}
        {wouldRefuse > 0 && `${count(wouldRefuse)} passed and would have been refused. `}
        From {callers === 1 ? 'one caller' : `${count(callers)} callers`}: {callerNames.join(', ')}
        {callers > callerNames.length && ' and others'}. First <Ago at={item.firstAt} />.
      </p>
      {rule !== '' && (
        <section className="stack" style={{ gap: 6 }}>
          <h3 style={{ margin: 0 }}>Where the contract says so</h3>
          <Link to={withQuery(`/apis/${apiId}/contract`, place.data?.line ? { line: String(place.data.line) } : {})} className="mono small breaks">
            {rule}
            {place.data?.line ? `, line ${place.data.line}` : ''}
          </Link>
          {place.data?.value && (
            <pre className="sheet small" style={{ margin: 0, maxHeight: 130, overflow: 'auto' }}>
              {place.data.value}
            </pre>
          )}
        </section>
      )}
      <div className="row wrap">
        <Link to={`/traces/${item.traceId}`}>the last trace</Link>
        <Link to={operationPath(apiId, operationId)}>the operation</Link>
        <ToProbe item={item} />
      </div>
      {item.keyword !== '' && <AcceptChange apiId={apiId} path={`/apis/${apiId}/contract/accept`} input={{ violation: item.id }} key={item.id} />}
    </aside>
  );
}

/** Fills the probe with the last request of the kind. */
function ToProbe({ item }: { readonly item: ViolationView }) {
  const probe = useContext(ProbeContext);
  const look = useMutation({
    mutationFn: () => api.get<TraceView>(`/traces/${item.traceId}`),
    onSuccess: ({ method, path, query }) => probe.compose({ method, target: path + query }),
  });
  return (
    <>
      <button className="link" disabled={look.isPending} onClick={() => look.mutate()}>
        its request in the probe
      </button>
      <ProblemNotice error={look.error} />
    </>
  );
}
