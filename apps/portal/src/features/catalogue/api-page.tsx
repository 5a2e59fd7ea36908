import { useQuery } from '@tanstack/react-query';
import { ProblemNotice, ReferenceList } from '@virga/parts';
import type { OfferedApiView } from '@virga/protocol';
import { NavLink, useParams, useSearchParams } from 'react-router';
import { NoSuchPage } from '../../parts/no-page';
import { ApiProblem } from '../../client/api';
import { Markdown } from '@virga/parts/markdown';
import { ChangesTab } from './changes-tab';
import { OperationPage } from './operation-page';
import { PlansTab } from './plans-tab';
import { apiQuery } from './queries';

/** One API for those who call it. */
export function ApiPage() {
  const { id = '', tab = 'reference' } = useParams();
  const { data, error } = useQuery(apiQuery(id));
  if (error instanceof ApiProblem && error.status === 404) return <NoSuchPage />;
  if (error) return <ProblemNotice error={error} />;
  if (!data) return <p className="quiet">Reading…</p>;
  return (
    <>
      <h1 className="breaks">
        {data.name} <span className="quiet small">{data.version}</span>
      </h1>
      <nav className="tabs" aria-label="Of this API" style={{ marginTop: 12 }}>
        <NavLink to={`/apis/${id}`} end>
          Reference
        </NavLink>
        <NavLink to={`/apis/${id}/plans`}>Getting in</NavLink>
        <NavLink to={`/apis/${id}/changes`}>What changed</NavLink>
      </nav>
      {tab === 'plans' ? <PlansTab api={data} /> : tab === 'changes' ? <ChangesTab id={id} /> : <Reference api={data} />}
    </>
  );
}

function Reference({ api }: { readonly api: OfferedApiView }) {
  const [query] = useSearchParams();
  const all = api.groups.flatMap(({ operations }) => operations);
  const chosen = all.find(({ operationId }) => operationId === query.get('of'));
  if (all.length === 0) return <p className="quiet">Nothing is described of it.</p>;
  return (
    <div className="reference">
      <div className="reference-list">
        <ReferenceList
          groups={api.groups}
          chosen={chosen?.operationId ?? ''}
          to={({ operationId }) => `?${new URLSearchParams({ of: operationId }).toString()}`}
        />
      </div>
      {chosen ? (
        <OperationPage key={chosen.operationId} api={api} operationId={chosen.operationId} />
      ) : (
        <div className="stack">
          {api.description !== '' && <Markdown text={api.description} />}
          {api.address !== '' && (
            <p>
              Called at <code className="breaks">{api.address}</code>
            </p>
          )}
          <p className="quiet">Choose an operation to read of it and to try it.</p>
        </div>
      )}
    </div>
  );
}
