import Button from '@mui/material/Button';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { ModeContext } from '@virga/parts';
import type { PortalSession } from '@virga/protocol';
import { lazy, Suspense, useContext } from 'react';
import { Link, NavLink, Outlet, useLocation } from 'react-router';
import { api } from '../client/api';
import { chooseTeam, useSite, useTeam } from '../client/site';

const Markdown = lazy(() => import('@virga/parts/markdown').then((m) => ({ default: m.Markdown })));

/** The frame of every page: whose portal it is, where one can go, who one is. */
export function Shell() {
  const { name, mark, pages, session, notices } = useSite();
  const { pathname } = useLocation();
  return (
    <>
      <a className="skip" href="#main">
        To the page
      </a>
      <header className="top">
        <Link to="/" className="own">
          {mark !== '' && <img src={mark} alt="" height={32} />}
          <span className="clip" title={name}>
            {name}
          </span>
        </Link>
        <nav aria-label="Pages">
          <NavLink to="/" end className={({ isActive }) => (isActive || pathname.startsWith('/apis/') ? 'active' : '')}>
            APIs
          </NavLink>
          {session && session.teams.length > 0 && <NavLink to="/clients">Your programs</NavLink>}
          {session && session.teams.length > 0 && <NavLink to="/team">Your team</NavLink>}
          {pages.map(({ slug, title }) => (
            <NavLink key={slug} to={`/pages/${slug}`} className="clip" title={title}>
              {title}
            </NavLink>
          ))}
        </nav>
        <Who session={session} />
      </header>
      <aside aria-label="Notices">
        {session?.looks && (
          <div className="notice band" role="status">
            You look as {session.teams.length > 0 ? `the team ${session.shownName}` : 'somebody who is not signed in'}. Nothing can be changed.
          </div>
        )}
        {session?.state === 'waiting' && (
          <div className="notice band" role="status">
            Your account waits for approval. Until then you see what everybody sees.
          </div>
        )}
        {notices.map(({ id, text, tone }) => (
          <div key={id} className={`notice band ${tone === 'news' ? 'fine' : ''}`}>
            <Suspense fallback={text}>
              <Markdown text={text} />
            </Suspense>
          </div>
        ))}
      </aside>
      <main className="page" id="main" tabIndex={-1}>
        <Outlet />
      </main>
    </>
  );
}

function Who({ session }: { readonly session: PortalSession | null }) {
  const { mode, toggle } = useContext(ModeContext);
  const { pathname, search } = useLocation();
  const team = useTeam();
  const client = useQueryClient();
  const signOut = useMutation({
    mutationFn: () => api.remove('/session'),
    onSettled: () => window.location.assign('/'),
  });
  return (
    <div className="who">
      {session && session.teams.length > 1 && (
        <select
          className="plain"
          aria-label="For which team you act"
          value={team?.id ?? ''}
          onChange={({ target }) => {
            chooseTeam(target.value);
            void client.invalidateQueries({ queryKey: ['chosen-team'] });
          }}
        >
          {session.teams.map(({ id, name }) => (
            <option key={id} value={id}>
              {name.slice(0, 40)}
            </option>
          ))}
        </select>
      )}
      <button className="link" onClick={toggle} aria-label={mode === 'light' ? 'Dark' : 'Light'} title={mode === 'light' ? 'Dark' : 'Light'}>
        {mode === 'light' ? 'dark' : 'light'}
      </button>
      {session ? (
        <>
          {session.looks ? (
            <span className="clip">looking</span>
          ) : (
            <Link to="/account" className="clip" title={session.name}>
              {session.shownName}
            </Link>
          )}
          <button className="link whole" onClick={() => signOut.mutate()}>
            {session.looks ? 'stop looking' : 'sign out'}
          </button>
        </>
      ) : (
        <Button component={Link} to={`/sign-in?${new URLSearchParams({ back: pathname + search }).toString()}`} variant="contained">
          Sign in
        </Button>
      )}
    </div>
  );
}
