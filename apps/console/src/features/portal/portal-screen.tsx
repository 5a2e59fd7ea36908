import { useQuery } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import { NavLink, useParams } from 'react-router';
import { Log } from './log';
import { LookAs } from './look-as';
import { Notices } from './notices';
import { Pages } from './pages';
import { People } from './people';
import { PortalLook } from './portal-look';
import { portalRequestsQuery, portalSettingsQuery } from './queries';
import { Requests } from './requests';
import { ShownApis } from './shown-apis';
import { TeamScreen } from './team-screen';
import { Teams } from './teams';

const TABS = [
  { path: '', word: 'Requests', show: Requests },
  { path: 'apis', word: 'Shown APIs', show: ShownApis },
  { path: 'teams', word: 'Teams', show: Teams },
  { path: 'people', word: 'People', show: People },
  { path: 'pages', word: 'Pages', show: Pages },
  { path: 'notices', word: 'Notices', show: Notices },
  { path: 'look', word: 'Look and ways in', show: PortalLook },
  { path: 'log', word: 'Log', show: Log },
] as const;

/** The portal as its operator keeps it: who waits, who sees what, what stands there, what was done. */
export function PortalScreen() {
  const { tab = '', id } = useParams();
  const { data: requests } = useQuery(portalRequestsQuery);
  const { data: settings, error } = useQuery(portalSettingsQuery);
  const waiting = (requests?.accounts.length ?? 0) + (requests?.subscriptions.length ?? 0);
  const shown = TABS.find(({ path }) => path === (id === undefined ? tab : 'teams')) ?? TABS[0];
  const Tab = shown.show;
  return (
    <>
      <div className="page-head" style={{ marginBottom: 8 }}>
        <h1>Portal</h1>
        <span className="quiet">
          {settings && (
            <>
              {settings.name}, at{' '}
              <a href={settings.url} target="_blank" rel="noreferrer" className="mono">
                {settings.url}
              </a>
            </>
          )}
        </span>
        <span className="after">
          <LookAs teamId={null}>look as somebody who is not signed in</LookAs>
        </span>
      </div>
      <ProblemNotice error={error} />
      <nav className="tabs" aria-label="Parts of the portal">
        {TABS.map(({ path, word }) => (
          <NavLink
            key={path}
            end={path !== 'teams'}
            to={path === '' ? '/portal' : `/portal/${path}`}
            className={({ isActive }) => (isActive || (path === '' && tab === 'requests') ? 'active' : '')}
          >
            {word}
            {path === '' && waiting > 0 && ` (${waiting})`}
          </NavLink>
        ))}
      </nav>
      {id === undefined ? <Tab /> : <TeamScreen id={id} />}
    </>
  );
}
