import { useQuery } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import type { ClientView } from '@virga/protocol';
import { Link } from 'react-router';
import { api } from '../../client/api';
import { teamsQuery } from '../portal/queries';
import { usePortalChange } from '../portal/use-portal-change';

/** Which team of the portal keeps a client: its people see it, make its keys and ask for its plans. */
export function ClientTeam({ client: { id, teamId, teamName } }: { readonly client: ClientView }) {
  const { data } = useQuery(teamsQuery(''));
  const give = usePortalChange((to: string | null) => api.put<ClientView>(`/portal/clients/${id}/team`, { teamId: to }), 'Given, at once');
  const teams = data?.items ?? [];
  if (teams.length === 0 && teamId === null) return null;
  return (
    <div className="field">
      <label htmlFor="client-team">Team in the portal</label>
      <select
        id="client-team"
        value={teamId ?? ''}
        disabled={give.isPending}
        onChange={(event) => give.mutate(event.target.value === '' ? null : event.target.value)}
      >
        <option value="">none: you keep it alone</option>
        {teamId !== null && !teams.some((team) => team.id === teamId) && <option value={teamId}>{teamName}</option>}
        {teams.map((team) => (
          <option key={team.id} value={team.id}>
            {team.name}
          </option>
        ))}
      </select>
      <span className="hint">
        {teamId === null ? 'Given to a team, its people keep its keys and plans' : <Link to={`/portal/teams/${teamId}`}>the team</Link>}; given at once.
      </span>
      <ProblemNotice error={give.error} />
    </div>
  );
}
