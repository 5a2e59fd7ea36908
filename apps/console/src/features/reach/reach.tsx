import { useQuery } from '@tanstack/react-query';
import { cellsDiffer, type ReachOperation, type SupposedCaller } from '@virga/core';
import { count, ProblemNotice, saveCsv } from '@virga/parts';
import { useMemo, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { useStanding } from '../../client/standing';
import type { TableAnswer } from '../../workers/suppose-messages';
import { releasesQuery } from '../releases/queries';
import { CellWhy } from './cell-why';
import { csvRows, KIND_NAMES, type Shown } from './cells';
import { PasteCredential } from './paste-credential';
import { documentQuery, factsQuery, type Which } from '../let-through/queries';
import { tableQuery } from './queries';
import { Legend, Releases } from './reach-parts';
import { ReachChart, type Chosen } from './reach-chart';
import { TurnedRound } from './turned-round';

/** So many clients stand in one table. */
const SHOWN_CLIENTS = 1000;

const NOTHING: Chosen = { operation: null, caller: null };

/** Who can reach which operation: the draft or any release, held against another where one is chosen. */
export function ReachScreen() {
  const [query, setQuery] = useSearchParams();
  const [pasted, setPasted] = useState<readonly SupposedCaller[]>([]);
  const [picked, setPicked] = useState<Picked>({ operation: null, caller: null });
  const { data: standing } = useStanding();
  const { data: releases } = useQuery(releasesQuery);
  const live = standing?.live?.number ?? null;
  const which = whichOf(query.get('of')) ?? 'draft';
  const against = query.get('against') === 'live' ? live : whichOf(query.get('against'));
  const revision = JSON.stringify([standing?.changeCount, standing?.changes, live]);
  const put = (name: string, value: string) => {
    const next = new URLSearchParams(query);
    if (value) next.set(name, value);
    else next.delete(name);
    setQuery(next, { replace: true });
  };
  const facts = useQuery(factsQuery);
  const after = useQuery({ ...documentQuery(which, revision), enabled: standing !== undefined });
  const before = useQuery({ ...documentQuery(against ?? 'draft', revision), enabled: standing !== undefined && against !== null });
  const atMs = timeOf(query.get('at'));
  const address = query.get('from');
  const compared = against !== null;
  // What is searched for narrows clients where there are too many to show all of them.
  const clientText = (facts.data?.clients.length ?? 0) > SHOWN_CLIENTS ? (query.get('text') ?? '') : '';
  const ready = after.data && facts.data && (!compared || before.data);
  const table = useQuery({
    ...tableQuery(
      {
        after: after.data as never,
        before: compared ? (before.data as never) : null,
        facts: facts.data as never,
        pasted,
        settings: { atMs, address },
        clientText,
      },
      [which, against, revision, facts.dataUpdatedAt, pasted.map(({ id }) => id), atMs, address, clientText],
    ),
    enabled: Boolean(ready),
    placeholderData: (earlier: TableAnswer | undefined) => earlier,
  });
  const { data } = table;
  // What was picked is known by its name: places change with what is looked at.
  const chosen = data ? placeOf(data, picked) : NOTHING;
  const setChosen = ({ operation, caller }: Chosen) => {
    const asked = operation === null ? null : data?.operations[operation];
    setPicked({ operation: asked ? nameOf(asked) : null, caller: caller === null ? null : (data?.callers[caller]?.id ?? null) });
  };
  const shown = useMemo(() => data && shownOf(data, query, compared), [data, query, compared]);
  const download = () => {
    if (!data || !shown) return;
    saveCsv('reach.csv', csvRows(data, shown, compared));
  };
  const isChosen = chosen.operation !== null || chosen.caller !== null;
  return (
    <>
      <div className="page-head">
        <h1>Reach</h1>
        <span className="quiet">who can reach which operation, decided by the gateway’s own code</span>
        <span className="after">
          <button className="link" onClick={download} disabled={!shown}>
            as CSV
          </button>
        </span>
      </div>
      <div className="row wrap reach-controls">
        <label>
          <span className="quiet">by</span>{' '}
          <Releases
            label="The release looked at"
            value={String(which)}
            onChange={(value) => put('of', value === 'draft' ? '' : value)}
            numbers={releases?.items.map(({ number }) => number) ?? []}
            live={live}
          />
        </label>
        <label>
          <span className="quiet">against</span>{' '}
          <Releases
            label="The release it is held against"
            value={against === null ? '' : String(against)}
            onChange={(value) => put('against', value)}
            numbers={releases?.items.map(({ number }) => number) ?? []}
            live={live}
            none
          />
        </label>
        <label>
          <span className="quiet">at</span>{' '}
          <input
            aria-label="Time"
            type="datetime-local"
            className="plain"
            style={{ width: 190 }}
            value={query.get('at') ?? ''}
            onChange={(event) => put('at', event.target.value)}
          />
        </label>
        <label>
          <span className="quiet">from</span>{' '}
          <input
            aria-label="Address"
            className="plain mono"
            style={{ width: 130 }}
            placeholder="any address"
            defaultValue={address ?? ''}
            onBlur={(event) => put('from', event.target.value.trim())}
            onKeyDown={(event) => event.key === 'Enter' && put('from', event.currentTarget.value.trim())}
          />
        </label>
        <input
          aria-label="Search"
          type="search"
          className="plain grow"
          style={{ minWidth: 120 }}
          placeholder="operation or caller"
          value={query.get('text') ?? ''}
          onChange={(event) => put('text', event.target.value)}
        />
        <label>
          <span className="quiet">callers</span>{' '}
          <select
            aria-label="Kind of callers"
            className="plain"
            style={{ width: 'auto' }}
            value={query.get('kind') ?? ''}
            onChange={(event) => put('kind', event.target.value)}
          >
            <option value="">all</option>
            {Object.entries(KIND_NAMES).map(([kind, name]) => (
              <option key={kind} value={kind}>
                {name}
              </option>
            ))}
          </select>
        </label>
        {compared && (
          <label className="check">
            <input type="checkbox" checked={query.get('only') === 'differences'} onChange={(event) => put('only', event.target.checked ? 'differences' : '')} />{' '}
            differences only
          </label>
        )}
      </div>
      <ProblemNotice error={facts.error ?? after.error ?? before.error ?? table.error} />
      {!data && !table.error && <p className="quiet">Deciding…</p>}
      {data && data.operations.length === 0 && (
        <div className="empty">
          <h2>There is no operation to reach</h2>
          <p>Bring an API in: its operations stand here against everybody who might call them.</p>
          <Link to="/apis/new">Bring an API in</Link>
        </div>
      )}
      {data && shown && data.operations.length > 0 && (
        <div className={isChosen ? 'reach-with-why' : ''}>
          <div style={{ minWidth: 0 }}>
            {shown.operations.length === 0 || shown.callers.length === 0 ? (
              <p className="quiet" style={{ padding: '28px 0' }}>
                {query.get('only') === 'differences' ? 'Nobody reaches anything else than before.' : 'Nothing meets this search.'}
              </p>
            ) : (
              <ReachChart table={data} shown={shown} compared={compared} chosen={chosen} onChoose={setChosen} />
            )}
            {data.clientsLeftOut > 0 && <p className="ochre small">{count(data.clientsLeftOut)} clients are left out; search for their names to see them.</p>}
            <Legend table={data} compared={compared} />
            <PasteCredential
              onTake={(caller) => {
                setPasted([...pasted.filter(({ id }) => id !== caller.id), caller]);
                setPicked({ operation: null, caller: caller.id });
              }}
            />
          </div>
          {isChosen && (
            <aside className="why" aria-label="Why">
              {chosen.operation !== null && chosen.caller !== null ? (
                <CellWhy
                  key={`${chosen.operation} ${chosen.caller}`}
                  table={data}
                  at={table.dataUpdatedAt}
                  operation={chosen.operation}
                  caller={chosen.caller}
                  compared={compared}
                />
              ) : (
                <TurnedRound table={data} shown={shown} chosen={chosen} onChoose={setChosen} />
              )}
              <p>
                <button className="link" onClick={() => setChosen(NOTHING)}>
                  Close
                </button>
              </p>
            </aside>
          )}
        </div>
      )}
    </>
  );
}

interface Picked {
  readonly operation: string | null;
  readonly caller: string | null;
}

const nameOf = ({ apiId, operationId }: ReachOperation): string => `${apiId} ${operationId}`;

function placeOf({ operations, callers }: TableAnswer, picked: Picked): Chosen {
  const find = (at: number): number | null => (at < 0 ? null : at);
  return {
    operation: picked.operation === null ? null : find(operations.findIndex((operation) => nameOf(operation) === picked.operation)),
    caller: picked.caller === null ? null : find(callers.findIndex(({ id }) => id === picked.caller)),
  };
}

function whichOf(text: string | null): Which | null {
  if (text === 'draft') return 'draft';
  return text !== null && /^\d{1,9}$/.test(text) ? Number(text) : null;
}

function timeOf(text: string | null): number | null {
  const at = text === null || text === '' ? NaN : new Date(text).getTime();
  return Number.isNaN(at) ? null : at;
}

/** What of a table is looked at. */
function shownOf(table: TableAnswer, query: URLSearchParams, compared: boolean): Shown {
  const text = (query.get('text') ?? '').toLowerCase();
  const kind = query.get('kind') ?? '';
  const differing = compared && query.get('only') === 'differences';
  const fits = (...words: (string | undefined)[]): boolean => words.some((word) => word?.toLowerCase().includes(text));
  const all = table.callers.map((_one, at) => at).filter((at) => kind === '' || table.callers[at]?.kind === kind);
  const named = text === '' ? [] : all.filter((at) => fits(table.callers[at]?.name));
  const found = text === '' ? [] : table.operations.flatMap(({ method, path, apiName }, at) => (fits(`${method} ${path}`, apiName) ? [at] : []));
  // A search that names callers narrows them, one that names operations these; one that names neither finds nothing.
  const callers = named.length > 0 ? named : text !== '' && found.length === 0 ? [] : all;
  const operations = found.length > 0 ? found : table.operations.map((_one, at) => at);
  if (!differing) return { operations, callers };
  const differs = (operation: number, caller: number): boolean =>
    cellsDiffer(table.before[operation]?.[caller] ?? null, table.after[operation]?.[caller] ?? null);
  return {
    operations: operations.filter((one) => callers.some((caller) => differs(one, caller))),
    callers: callers.filter((caller) => operations.some((one) => differs(one, caller))),
  };
}
