import Dialog from '@mui/material/Dialog';
import { useInfiniteQuery, useQueries, useQuery } from '@tanstack/react-query';
import { useContext, useEffect, useMemo, useState, type KeyboardEvent } from 'react';
import { useNavigate } from 'react-router';
import { ModeContext } from '@virga/parts';
import { apisQuery, operationsQuery } from '../features/apis/queries';
import { clientsQuery } from '../features/clients/queries';
import { personasQuery } from '../features/personas/queries';
import { ProbeContext } from '../features/probe/probe-state';
import { providersQuery } from '../features/providers/queries';
import { operationPath } from '../client/places';

interface Target {
  readonly kind: string;
  readonly name: string;
  readonly go: () => void;
}

const SHOWN = 40;

/** Finds any API, operation, provider, persona, trace or action by a part of its name. */
export function Palette({ open, onClose }: { readonly open: boolean; readonly onClose: () => void }) {
  return (
    <Dialog open={open} onClose={onClose} maxWidth="sm" aria-label="Find anything">
      {open && <Finder onClose={onClose} />}
    </Dialog>
  );
}

function Finder({ onClose }: { readonly onClose: () => void }) {
  const [text, setText] = useState('');
  const [at, setAt] = useState(0);
  const all = useTargets();
  const found = useMemo(() => match(all, text).slice(0, SHOWN), [all, text]);
  const traceId = /^[0-9a-z]{16,24}$/i.test(text.trim()) ? text.trim() : null;
  const navigate = useNavigate();
  const shown: Target[] = traceId ? [{ kind: 'Trace', name: traceId, go: () => void navigate(`/traces/${traceId}`) }, ...found] : found;
  useEffect(() => setAt(0), [text]);
  const choose = (target: Target | undefined) => {
    if (!target) return;
    onClose();
    target.go();
  };
  const onKey = (event: KeyboardEvent) => {
    if (event.key === 'ArrowDown') setAt(Math.min(at + 1, shown.length - 1));
    else if (event.key === 'ArrowUp') setAt(Math.max(at - 1, 0));
    else if (event.key === 'Enter') choose(shown[at]);
    else return;
    event.preventDefault();
  };
  return (
    <div style={{ padding: 14 }}>
      <div className="field">
        <input
          role="combobox"
          aria-expanded="true"
          aria-controls="found"
          aria-label="Find anything"
          autoFocus
          value={text}
          placeholder="Part of a name, a path, a trace id"
          onChange={(event) => setText(event.target.value)}
          onKeyDown={onKey}
        />
      </div>
      <ul className="palette-list" id="found" role="listbox">
        {shown.map((target, index) => (
          <li
            key={`${target.kind} ${target.name} ${index}`}
            role="option"
            aria-selected={index === at}
            onMouseEnter={() => setAt(index)}
            onClick={() => choose(target)}
          >
            <span className="clip">{target.name}</span>
            <span className="quiet small">{target.kind}</span>
          </li>
        ))}
        {shown.length === 0 && <li className="quiet">Nothing has that in its name</li>}
      </ul>
    </div>
  );
}

function useTargets(): Target[] {
  const navigate = useNavigate();
  const probe = useContext(ProbeContext);
  const mode = useContext(ModeContext);
  const apis = useQuery(apisQuery);
  const providers = useQuery(providersQuery);
  const personas = useQuery(personasQuery);
  const clients = useInfiniteQuery(clientsQuery(''));
  const operations = useQueries({ queries: (apis.data?.items ?? []).map((item) => operationsQuery(item.id)) });
  const to = (kind: string, name: string, path: string): Target => ({ kind, name, go: () => void navigate(path) });
  return [
    to('Screen', 'Overlook', '/'),
    to('Screen', 'APIs', '/apis'),
    to('Screen', 'Providers', '/providers'),
    to('Screen', 'Clients', '/clients'),
    to('Screen', 'Leaked keys', '/leaks'),
    to('Screen', 'Plans', '/plans'),
    to('Screen', 'Limits', '/limits'),
    to('Screen', 'Portal', '/portal'),
    to('Screen', 'Portal: shown APIs', '/portal/apis'),
    to('Screen', 'Portal: teams', '/portal/teams'),
    to('Screen', 'Addresses: networks, fence, trusted hops', '/addresses'),
    to('Screen', 'Reach: who can reach which operation', '/reach'),
    to('Screen', 'Trials: what must stay refused', '/trials'),
    to('Screen', 'Conditions that rules share', '/conditions'),
    to('Screen', 'Authorizers: scripts and decision services', '/authorizers'),
    to('Screen', 'Tables that conditions and authorizers look at', '/tables'),
    to('Screen', 'Personas', '/personas'),
    to('Screen', 'Traces', '/traces'),
    to('Screen', 'Refusals, newest first', '/traces?outcome=refused'),
    to('Screen', 'What would have been refused, newest first', '/traces?outcome=would-refuse'),
    to('Screen', 'Releases', '/releases'),
    to('Screen', 'Bench, read and verify a token', '/bench'),
    to('Screen', 'Bench, get a token', '/bench/get'),
    to('Screen', 'Bench, mint a token', '/bench/mint'),
    to('Screen', 'Bench, tamper with a token', '/bench/tamper'),
    to('Screen', 'Bench, compare two tokens', '/bench/compare'),
    to('Screen', 'Settings', '/settings'),
    to('Action', 'Bring an API in', '/apis/new'),
    to('Action', 'Trust a provider', '/providers/new'),
    { kind: 'Action', name: 'Open the probe', go: probe.show },
    { kind: 'Action', name: 'Switch between light and dark', go: mode.toggle },
    ...(apis.data?.items ?? []).map((item) => to('API', `${item.name} ${item.version}`, `/apis/${item.id}`)),
    ...(providers.data?.items ?? []).map((item) => to('Provider', item.name, `/providers/${item.id}`)),
    ...(clients.data?.pages.flatMap((page) => page.items) ?? []).map((item) => to('Client', item.name, `/clients/${item.id}`)),
    ...(personas.data?.items ?? []).map((item) => to('Persona', item.name, '/personas')),
    ...operations.flatMap((result, index) => {
      const owner = apis.data?.items[index];
      return owner
        ? (result.data?.items ?? []).map((item) =>
            to(`Operation of ${owner.name}`, `${item.method} ${owner.basePath}${item.path}`, operationPath(owner.id, item.id)),
          )
        : [];
    }),
  ];
}

/** Targets that have every word of the text, those that begin with it first. */
function match(all: readonly Target[], text: string): Target[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const fits = all.filter((target) => words.every((word) => `${target.name} ${target.kind}`.toLowerCase().includes(word)));
  return words.length === 0
    ? fits
    : fits.sort((a, b) => Number(b.name.toLowerCase().startsWith(words[0] ?? '')) - Number(a.name.toLowerCase().startsWith(words[0] ?? '')));
}
