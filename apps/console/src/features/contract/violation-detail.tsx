import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Ago, count, ProblemNotice } from '@virga/parts';
import type { AcceptView, TraceView, ViolationView } from '@virga/protocol';
import { useSnackbar } from 'notistack';
import { lazy, Suspense, useContext } from 'react';
import { Link } from 'react-router';
import { api, withQuery } from '../../client/api';
import { operationPath } from '../../client/places';
import { Mark } from '../../parts/mark';
import { ProbeContext } from '../probe/probe-state';
import { placeQuery } from './queries';
import { placeWords } from './violations-table';

const TextDiff = lazy(() => import('../../parts/text-diff'));

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
      {item.keyword !== '' && <Accept item={item} key={item.id} />}
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

/** How the contract could accept it: shown first, taken into the draft only then. */
function Accept({ item }: { readonly item: ViolationView }) {
  const { apiId, id } = item;
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const look = useMutation({ mutationFn: () => api.post<AcceptView>(`/apis/${apiId}/contract/accept`, { violation: id }) });
  const take = useMutation({
    mutationFn: (text: string) => api.put(`/apis/${apiId}/contract`, { source: { text } }),
    onSuccess: async () => {
      look.reset();
      enqueueSnackbar('The contract of the draft accepts it now');
      await client.invalidateQueries();
    },
  });
  return (
    <section className="stack" style={{ gap: 8 }}>
      {!look.data && (
        <div>
          <Button variant="outlined" disabled={look.isPending} onClick={() => look.mutate()}>
            {look.isPending ? 'Looking…' : 'Let the contract accept this'}
          </Button>
        </div>
      )}
      <ProblemNotice error={look.error ?? take.error} />
      {look.data && (
        <>
          <p style={{ margin: 0 }}>The contract then {look.data.says}.</p>
          <Suspense fallback={<p className="quiet">Comparing…</p>}>
            <TextDiff before={look.data.before} after={look.data.after} format={look.data.format} label="What changes in the contract" />
          </Suspense>
          <div className="row">
            <Button variant="contained" disabled={take.isPending} onClick={() => take.mutate(look.data.after)}>
              Take it into the draft
            </Button>
            <Button onClick={() => look.reset()}>Leave it</Button>
          </div>
        </>
      )}
    </section>
  );
}
