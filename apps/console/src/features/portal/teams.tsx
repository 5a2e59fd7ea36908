import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { Ago, count, ProblemNotice } from '@virga/parts';
import type { PortalTeam } from '@virga/protocol';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { api } from '../../client/api';
import { DataTable } from '../../parts/data-table';
import { teamsQuery } from './queries';
import { usePortalChange } from './use-portal-change';

/** Teams of consumers. */
export function Teams() {
  const [text, setText] = useState('');
  const [name, setName] = useState('');
  const go = useNavigate();
  const { data, error } = useQuery(teamsQuery(text));
  const add = usePortalChange(
    () => api.post<PortalTeam>('/portal/teams', { name }),
    'Made',
    ({ id }) => void go(`/portal/teams/${id}`),
  );
  return (
    <div className="stack">
      <div className="row fields wrap">
        <div className="field" style={{ maxWidth: 260 }}>
          <label htmlFor="find-team">Find by name</label>
          <input id="find-team" type="search" value={text} onChange={(event) => setText(event.target.value)} />
        </div>
        <form
          className="row fields"
          onSubmit={(event) => {
            event.preventDefault();
            add.mutate(undefined);
          }}
        >
          <div className="field">
            <label htmlFor="team-name">A new team is called</label>
            <input id="team-name" maxLength={100} value={name} onChange={(event) => setName(event.target.value)} />
          </div>
          <Button type="submit" variant="contained" disabled={name.trim() === '' || add.isPending}>
            Make it
          </Button>
        </form>
      </div>
      <ProblemNotice error={error ?? add.error} />
      {data && data.items.length === 0 && (
        <div className="empty">{text === '' ? 'There is no team yet. Make one and invite its first owner.' : 'No team has that in its name.'}</div>
      )}
      {data && data.items.length > 0 && (
        <DataTable
          items={data.items}
          label="Teams"
          to={({ id }) => `/portal/teams/${id}`}
          columns={[
            { head: 'Name', className: 'breaks', cell: (team, open) => open(team.name) },
            { head: 'People', className: 'number', cell: ({ members }) => count(members) },
            { head: 'Clients', className: 'number', cell: ({ clients }) => count(clients) },
            { head: 'Since', cell: ({ madeAt }) => <Ago at={madeAt} /> },
          ]}
        />
      )}
      {data && data.total > data.items.length && <p className="quiet">and {count(data.total - data.items.length)} more; find them by name.</p>}
    </div>
  );
}
