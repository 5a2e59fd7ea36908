import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, NavLink, useNavigate, useParams } from 'react-router';
import { Confirm, count, ProblemNotice } from '@virga/parts';
import { api } from '../../client/api';
import { AccessTab } from './access-tab';
import { ApiReleasesTab } from './api-releases-tab';
import { ContractTab } from './contract-tab';
import { ReferenceTab } from '../reference/reference-tab';
import { DriftTab } from './drift-tab';
import { MessageTab } from './message-tab';
import { OperationsTab } from './operations-tab';
import { apiQuery } from './queries';
import { UpstreamTab } from './upstream-tab';

const TABS = [
  { path: '', word: 'Operations', show: OperationsTab },
  { path: 'contract', word: 'Contract', show: ContractTab },
  { path: 'traffic', word: 'Contract and traffic', show: DriftTab },
  { path: 'reference', word: 'Reference', show: ReferenceTab },
  { path: 'access', word: 'Scopes and audience', show: AccessTab },
  { path: 'bodies', word: 'Bodies and headers', show: MessageTab },
  { path: 'upstream', word: 'Upstream', show: UpstreamTab },
  { path: 'releases', word: 'Releases of it', show: ApiReleasesTab },
] as const;

/** One API of the draft. */
export function ApiScreen() {
  const { id = '', tab = '' } = useParams();
  const { data: one, error } = useQuery({ ...apiQuery(id), refetchInterval: 10_000 });
  const [removing, setRemoving] = useState(false);
  const navigate = useNavigate();
  const client = useQueryClient();
  const remove = useMutation({
    mutationFn: () => api.remove(`/apis/${id}`),
    onSuccess: async () => {
      await navigate('/apis');
      await client.invalidateQueries();
    },
  });
  const toggle = useMutation({ mutationFn: (enabled: boolean) => api.patch(`/apis/${id}`, { enabled }), onSuccess: () => client.invalidateQueries() });
  if (error) return <ProblemNotice error={error} />;
  if (!one) return <p className="quiet">Reading…</p>;
  const shown = TABS.find((item) => item.path === tab) ?? TABS[0];
  const Tab = shown.show;
  return (
    <>
      <div className="page-head" style={{ marginBottom: 8 }}>
        <h1>{one.name}</h1>
        <span className="quiet">
          {one.version}, at <span className="mono">{one.basePath || '/'}</span>, upstream{' '}
          <span className="mono">{one.upstream.url.replace(/^https?:\/\//, '')}</span>
          {!one.enabled && <b className="ochre"> switched off</b>}
        </span>
        <span className="after">
          <button className="link" onClick={() => toggle.mutate(!one.enabled)}>
            {one.enabled ? 'switch off' : 'switch on'}
          </button>
          <button className="link rust" onClick={() => setRemoving(true)}>
            take out
          </button>
          <Button variant="outlined" onClick={() => void navigate(`/apis/${id}/contract`)}>
            Bring in a newer contract
          </Button>
        </span>
      </div>
      {one.incomplete && (
        <div className="notice" style={{ marginBottom: 10 }}>
          Incomplete: {one.incomplete}. <Link to="/plans">Plans</Link>
        </div>
      )}
      <nav className="tabs" aria-label="Parts of the API">
        {TABS.map((item) => (
          <NavLink key={item.path} end to={item.path ? `/apis/${id}/${item.path}` : `/apis/${id}`}>
            {item.word}
          </NavLink>
        ))}
      </nav>
      <Tab api={one} key={one.id} />
      <ProblemNotice error={remove.error ?? toggle.error} />
      {removing && (
        <Confirm
          title={`Take ${one.name} out of the draft`}
          name={one.name}
          action="Take it out"
          onNo={() => setRemoving(false)}
          onYes={() => remove.mutate(undefined, { onSettled: () => setRemoving(false) })}
        >
          Once published, {count(one.operationCount)} operations stop being served; {count(one.requests)} requests came in the last 24 hours. Until then,
          discarding the draft brings it back.
        </Confirm>
      )}
    </>
  );
}
