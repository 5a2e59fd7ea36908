import { queryOptions, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { OperationReference, ProblemNotice, ReferenceList } from '@virga/parts';
import type { ApiView, ReferenceOperationView, ReferenceView } from '@virga/protocol';
import { useContext } from 'react';
import { Link, useSearchParams } from 'react-router';
import { api as control, withQuery } from '../../client/api';
import { operationPath } from '../../client/places';
import { shownApisQuery } from '../portal/queries';
import { ShownApiField } from '../portal/shown-api-field';
import { ProbeContext } from '../probe/probe-state';

const referenceQuery = (id: string) =>
  queryOptions({ queryKey: ['apis', id, 'reference'], queryFn: () => control.get<ReferenceView>(`/apis/${id}/reference`) });

const operationQuery = (id: string, of: string) =>
  queryOptions({
    queryKey: ['apis', id, 'reference', of],
    queryFn: () => control.get<ReferenceOperationView>(withQuery(`/apis/${id}/reference/operation`, { of })),
  });

/** The API as its callers read of it, by the contract of the draft; with the probe to try it. */
export function ReferenceTab({ api }: { readonly api: ApiView }) {
  const { data, error } = useQuery(referenceQuery(api.id));
  const [query] = useSearchParams();
  const all = data?.groups.flatMap(({ operations }) => operations) ?? [];
  const chosen = all.find(({ operationId }) => operationId === query.get('of')) ?? all[0];
  if (error) return <ProblemNotice error={error} />;
  if (!data) return <p className="quiet">Reading the contract…</p>;
  return (
    <>
      <Shown apiId={api.id} />
      <div className="reference">
        <div className="reference-list">
          <h2>{data.title}</h2>
          {data.description !== '' && <p className="small quiet">{data.description}</p>}
          <ReferenceList
            groups={data.groups}
            chosen={chosen?.operationId ?? ''}
            to={({ operationId }) => `?${new URLSearchParams({ of: operationId }).toString()}`}
          />
        </div>
        {chosen ? (
          <Operation key={chosen.operationId} api={api} address={data.address || api.basePath} entry={chosen} />
        ) : (
          <p className="quiet">The contract has no operation.</p>
        )}
      </div>
    </>
  );
}

/** Who reads these pages in the portal. */
function Shown({ apiId }: { readonly apiId: string }) {
  const { data } = useQuery(shownApisQuery);
  const shown = data?.items.find((one) => one.apiId === apiId);
  if (!shown) return null;
  return (
    <div className="row wrap small" style={{ marginBottom: 12, alignItems: 'baseline' }}>
      <span>In the portal seen by</span>
      <ShownApiField shown={shown} />
      <span className="quiet">
        {shown.hidden > 0 && `${shown.hidden} of its operations left out. `}
        <b>Hidden is not closed</b>: who may call it is said by its rules.
      </span>
    </div>
  );
}

function Operation({
  api,
  address,
  entry: { operationId, method, path },
}: {
  readonly api: ApiView;
  readonly address: string;
  readonly entry: ReferenceView['groups'][number]['operations'][number];
}) {
  const { data, error } = useQuery(operationQuery(api.id, operationId));
  const probe = useContext(ProbeContext);
  const client = useQueryClient();
  const hide = useMutation({
    mutationFn: (hidden: boolean) => control.patch(`/apis/${api.id}/operations`, { ids: [operationId], hidden }, api.revision),
    onSuccess: () => client.invalidateQueries(),
  });
  if (error) return <ProblemNotice error={error} />;
  if (!data) return <p className="quiet">Reading…</p>;
  const { attempt, bodies } = data;
  const attemptIt = (): void =>
    probe.compose({ method, target: attempt.target, body: attempt.body ?? '', ...headersFor(attempt.body === null ? null : (bodies[0]?.type ?? null)) });
  return (
    <div className="stack">
      <OperationReference
        method={method}
        address={address + path}
        operation={data}
        after={
          <span className="row whole">
            <button className="link" onClick={attemptIt}>
              try it in the probe
            </button>
            <Link to={operationPath(api.id, operationId)}>its rules</Link>
          </span>
        }
      />
      <label className="check small" style={{ borderTop: '1px solid var(--hairline)', paddingTop: 8 }}>
        <input type="checkbox" checked={data.hidden} disabled={hide.isPending} onChange={(event) => hide.mutate(event.target.checked)} />
        <span>
          Leave it out of the pages that callers read. <b>Hidden is not closed</b>: whoever knows it can call it as before; who may is said by its rules.
        </span>
      </label>
      <ProblemNotice error={hide.error} />
    </div>
  );
}

/** The probe's header fields for a body of a type. */
const headersFor = (type: string | null): { readonly headers: string } => ({ headers: type === null ? '' : `content-type: ${type}` });
