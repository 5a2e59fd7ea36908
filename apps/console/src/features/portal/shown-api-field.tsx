import { useQuery } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import type { SeenBy, ShownApi } from '@virga/protocol';
import { useState } from 'react';
import { showApi, teamsQuery } from './queries';
import { usePortalChange } from './use-portal-change';

const WORDS: Readonly<Record<SeenBy, string>> = { nobody: 'nobody', everybody: 'everybody', 'signed-in': 'who is signed in', teams: 'some teams' };

/** Who sees an API in the portal. Who may call it is said by its rules alone. */
export function ShownApiField({ shown: { apiId, name, seen, teams } }: { readonly shown: ShownApi }) {
  const [choosing, setChoosing] = useState<readonly string[] | null>(null);
  const { data } = useQuery({ ...teamsQuery(''), enabled: seen === 'teams' || choosing !== null });
  const show = usePortalChange(showApi, 'In the portal at once', () => setChoosing(null));
  const set = (to: SeenBy): void => {
    if (to === 'teams') setChoosing(teams);
    else show.mutate({ apiId, seen: to, teams: [] });
  };
  const names = (data?.items ?? []).filter(({ id }) => teams.includes(id)).map((team) => team.name);
  return (
    <div>
      <select
        className="plain"
        style={{ width: 'auto' }}
        aria-label={`Who sees ${name} in the portal`}
        value={choosing === null ? seen : 'teams'}
        onChange={(event) => set(event.target.value as SeenBy)}
      >
        {(Object.keys(WORDS) as SeenBy[]).map((one) => (
          <option key={one} value={one}>
            {WORDS[one]}
          </option>
        ))}
      </select>
      {seen === 'teams' && choosing === null && (
        <span className="small">
          {' '}
          {names.join(', ')}{' '}
          <button className="link" onClick={() => setChoosing(teams)}>
            choose
          </button>
        </span>
      )}
      {choosing !== null && data && (
        <fieldset style={{ border: 0, padding: '6px 0', margin: 0 }}>
          <legend className="unseen">Teams that see it</legend>
          {data.items.map((team) => (
            <label key={team.id} className="check small">
              <input
                type="checkbox"
                checked={choosing.includes(team.id)}
                onChange={(event) => setChoosing(event.target.checked ? [...choosing, team.id] : choosing.filter((one) => one !== team.id))}
              />
              {team.name}
            </label>
          ))}
          {data.items.length === 0 && <p className="quiet small">There is no team yet.</p>}
          <span className="row">
            <button
              className="link"
              disabled={choosing.length === 0 || show.isPending}
              onClick={() => show.mutate({ apiId, seen: 'teams', teams: [...choosing] })}
            >
              show it to {choosing.length === 1 ? 'this one' : `these ${choosing.length}`}
            </button>
            <button className="link" onClick={() => setChoosing(null)}>
              leave it
            </button>
          </span>
        </fieldset>
      )}
      <ProblemNotice error={show.error} />
    </div>
  );
}
