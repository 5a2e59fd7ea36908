import { useContext, useEffect, useState } from 'react';
import { NavLink, Outlet } from 'react-router';
import { ModeContext } from '@virga/parts';
import { BenchContext, useBenchState } from '../features/bench/bench-state';
import { ProbeDrawer } from '../features/probe/probe-drawer';
import { ProbeContext, useProbeState } from '../features/probe/probe-state';
import { Ridge } from '../parts/ridge';
import { FloatingWhy, WhyContext, useWhyState } from '../parts/why';
import { KeyHelp } from './key-help';
import { Palette } from './palette';
import { useStanding } from '../client/standing';
import { Strip } from './strip';

interface Entry {
  readonly to: string;
  readonly word: string;
  readonly count?: 'apiCount' | 'providerCount' | 'clientCount' | 'personaCount';
}

/** The order of work, top to bottom. */
const GROUPS: readonly { readonly name: string; readonly entries: readonly Entry[] }[] = [
  {
    name: 'Bring in',
    entries: [
      { to: '/apis', word: 'APIs', count: 'apiCount' },
      { to: '/inventory', word: 'Inventory' },
    ],
  },
  {
    name: 'Trust',
    entries: [{ to: '/providers', word: 'Providers', count: 'providerCount' }],
  },
  {
    name: 'Let in',
    entries: [
      { to: '/clients', word: 'Clients', count: 'clientCount' },
      { to: '/plans', word: 'Plans' },
      { to: '/limits', word: 'Limits' },
    ],
  },
  {
    name: 'Guard',
    entries: [
      { to: '/reach', word: 'Reach' },
      { to: '/addresses', word: 'Addresses' },
      { to: '/conditions', word: 'Conditions' },
      { to: '/authorizers', word: 'Authorizers' },
      { to: '/tables', word: 'Tables' },
      { to: '/contract', word: 'Contract' },
    ],
  },
  {
    name: 'Prove',
    entries: [
      { to: '/bench', word: 'Bench' },
      { to: '/personas', word: 'Personas', count: 'personaCount' },
      { to: '/trials', word: 'Trials' },
    ],
  },
  {
    name: 'Watch',
    entries: [
      { to: '/', word: 'Overlook' },
      { to: '/traces', word: 'Traces' },
      { to: '/sensitive', word: 'Sensitive data' },
    ],
  },
];

const isTyping = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && (target.isContentEditable || ['INPUT', 'TEXTAREA', 'SELECT'].includes(target.tagName));

/** The frame around every screen. */
export function Shell() {
  const [narrow, setNarrow] = useState(() => localStorage.getItem('virga-side') === 'narrow');
  const [finding, setFinding] = useState(false);
  const [helping, setHelping] = useState(false);
  const probe = useProbeState();
  const why = useWhyState();
  const bench = useBenchState();
  const { toggle } = probe;
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
        event.preventDefault();
        setFinding(true);
      } else if (isTyping(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
      else if (event.key === '`') {
        event.preventDefault();
        toggle();
      } else if (event.key === '?') setHelping(true);
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, [toggle]);
  const fold = () => {
    localStorage.setItem('virga-side', narrow ? 'wide' : 'narrow');
    setNarrow(!narrow);
  };
  return (
    <ProbeContext value={probe}>
      <BenchContext value={bench}>
        <WhyContext value={why}>
          <div className={narrow ? 'shell narrow' : 'shell'}>
            <Side onFold={fold} narrow={narrow} onHelp={() => setHelping(true)} />
            <Strip onFind={() => setFinding(true)} />
            <main className="main" id="main">
              <Outlet />
            </main>
            <ProbeDrawer />
          </div>
          <FloatingWhy />
          <Palette open={finding} onClose={() => setFinding(false)} />
          <KeyHelp open={helping} onClose={() => setHelping(false)} />
        </WhyContext>
      </BenchContext>
    </ProbeContext>
  );
}

function Side({ onFold, narrow, onHelp }: { readonly onFold: () => void; readonly narrow: boolean; readonly onHelp: () => void }) {
  const standing = useStanding();
  const { mode, toggle } = useContext(ModeContext);
  return (
    <nav className="side" aria-label="Screens">
      <NavLink to="/" className="brand">
        <Ridge /> <span className="word">Virga Ridge</span>
      </NavLink>
      {GROUPS.map((group) => (
        <div key={group.name}>
          <div className="group">{group.name}</div>
          {group.entries.map((entry) => (
            <SideEntry key={entry.to} entry={entry} count={entry.count && standing.data?.[entry.count]} />
          ))}
        </div>
      ))}
      <div className="foot">
        <SideEntry entry={{ to: '/releases', word: 'Releases' }} />
        <SideEntry entry={{ to: '/portal', word: 'Portal' }} />
        <SideEntry entry={{ to: '/settings', word: 'Settings' }} />
        <div className="row wrap small quiet" style={{ padding: '8px 16px 0' }}>
          <button className="link" onClick={onFold} aria-label={narrow ? 'Show names' : 'Collapse to marks'}>
            {narrow ? '»' : '« fold'}
          </button>
          <button className="link" onClick={toggle}>
            {mode === 'light' ? 'dark' : 'light'}
          </button>
          <button className="link" onClick={onHelp}>
            ?<span className="word"> keys</span>
          </button>
        </div>
      </div>
    </nav>
  );
}

function SideEntry({ entry, count }: { readonly entry: Entry; readonly count?: number | undefined }) {
  return (
    <NavLink to={entry.to} end={entry.to === '/'} className={({ isActive }) => (isActive ? 'entry active' : 'entry')} title={entry.word}>
      <span className="word">{entry.word}</span>
      <span className="sign" aria-hidden="true">
        {entry.word.slice(0, 2)}
      </span>
      {count !== undefined && <span className="quiet small word">{count}</span>}
    </NavLink>
  );
}
