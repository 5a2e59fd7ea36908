import { CODES, STEP_NAMES, STEPS } from '@virga/core';
import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { Call, count, exactTime, ProblemNotice, took } from '@virga/parts';
import type { SamplingView, TraceSummary } from '@virga/protocol';
import dayjs from 'dayjs';
import { useEffect, useState } from 'react';
import { useSearchParams } from 'react-router';
import { LongTable, type Column } from '../../parts/data-table';
import { Mark } from '../../parts/mark';
import { apisQuery } from '../apis/queries';
import { tracesQuery } from './queries';

const COLUMNS: readonly Column<TraceSummary>[] = [
  {
    head: 'Time',
    width: '92px',
    cell: (item) => (
      <time className="small mono" title={exactTime(item.at)}>
        {dayjs(item.at).format('HH:mm:ss.SSS')}
      </time>
    ),
  },
  { width: '20px', cell: (item) => <Mark kind={item.outcome} /> },
  { head: 'status', width: '40px', className: 'number', cell: (item) => item.status },
  { head: 'Request', width: 'minmax(130px, 4fr)', className: 'clip', cell: (item) => <Call method={item.method} path={item.path} /> },
  {
    head: 'Why',
    width: 'minmax(120px, 4fr)',
    className: 'clip',
    cell: (item) => (
      <span className={item.outcome === 'passed' ? 'quiet' : ''} title={item.reason}>
        {item.outcome !== 'passed' && <b>{item.stepName} </b>}
        {item.reason}
      </span>
    ),
  },
  {
    head: 'Who',
    width: 'minmax(80px, 2fr)',
    className: 'clip',
    cell: (item) => (
      <span title={[item.subject, item.client, item.provider].filter(Boolean).join(', ')}>
        {item.subject ?? item.client ?? <span className="quiet">not known</span>}
        {item.subject && item.client && item.client !== item.subject && <span className="quiet"> {item.client}</span>}
      </span>
    ),
  },
  { head: 'From', width: 'minmax(0, 104px)', className: 'clip', cell: (item) => <span className="mono small">{item.address}</span> },
  { head: 'took', width: '60px', className: 'number', cell: (item) => <span className="small">{took(item.totalUs)}</span> },
];
const FILTERS = ['outcome', 'api', 'operation', 'step', 'code', 'status', 'client', 'subject', 'text', 'since', 'until'] as const;

/** Every request that was kept, newest first; the filters are in the address, so that a view can be sent as a link. */
export function TraceListScreen() {
  const [query, setQuery] = useSearchParams();
  const filters = Object.fromEntries(FILTERS.map((name) => [name, query.get(name) ?? undefined]));
  const [live, setLive] = useState(true);
  const traces = useInfiniteQuery(tracesQuery(filters, live && query.get('until') === null));
  const items = traces.data?.pages.flatMap((page) => page.items) ?? [];
  const sampling = traces.data?.pages[0]?.sampling;
  const put = (name: string, value: string) => {
    const next = new URLSearchParams(query);
    if (value) next.set(name, value);
    else next.delete(name);
    setQuery(next, { replace: true });
  };
  const narrowed = FILTERS.some((name) => query.has(name));
  return (
    <>
      <div className="page-head">
        <h1>Traces</h1>
        {sampling && <Kept sampling={sampling} />}
        <label className="check after small">
          <input type="checkbox" checked={live} onChange={(event) => setLive(event.target.checked)} /> live
        </label>
      </div>
      <Filters query={query} put={put} clear={narrowed ? () => setQuery({}) : null} />
      <ProblemNotice error={traces.error} />
      {traces.data && items.length === 0 ? (
        <div className="empty">
          <h2>{narrowed ? 'No trace meets these filters' : 'No request came yet'}</h2>
          <p>
            {narrowed
              ? 'Traces may also have been let go: by age, by number, or by sampling under load.'
              : 'Call the gateway, or send a request from the probe (key `). Each one shows up here with every check it went through.'}
          </p>
        </div>
      ) : (
        <LongTable
          items={items}
          label="Traces"
          columns={COLUMNS}
          to={(item) => `/traces/${item.id}`}
          name={(item) => `${item.method} ${item.path}, ${item.status}, ${item.outcome}: ${item.reason}`}
          height={() => 'calc(100vh - 262px)'}
          onEnd={traces.hasNextPage ? () => void traces.fetchNextPage() : null}
        />
      )}
    </>
  );
}

function Kept({ sampling }: { readonly sampling: SamplingView }) {
  const { unsentPassed, unsentRefused } = sampling;
  const rest = `kept for ${sampling.keptForHours} h, at most ${count(sampling.keptAtMost)}`;
  if (unsentPassed + unsentRefused === 0) return <span className="quiet">every request of the last hour was kept; {rest}</span>;
  return (
    <span className="ochre">
      sampled under load: {count(unsentPassed)} passed{unsentRefused > 0 ? ` and ${count(unsentRefused)} refused` : ''} requests of the last hour have no trace
      (counters are exact); a node keeps {sampling.passedPerSecond} passed and {sampling.refusedPerSecond} refused a second; {rest}
    </span>
  );
}

function Filters({
  query,
  put,
  clear,
}: {
  readonly query: URLSearchParams;
  readonly put: (name: string, value: string) => void;
  readonly clear: (() => void) | null;
}) {
  const { data: apis } = useQuery(apisQuery);
  const [text, setText] = useState(query.get('text') ?? '');
  useEffect(() => setText(query.get('text') ?? ''), [query]);
  const since = query.get('since');
  const until = query.get('until');
  const choose = (name: string, label: string, options: readonly (readonly [string, string])[]) => (
    <div className="field" style={{ width: 180 }}>
      <select aria-label={label} value={query.get(name) ?? ''} onChange={(event) => put(name, event.target.value)}>
        <option value="">{label}</option>
        {options.map(([value, word]) => (
          <option key={value} value={value}>
            {word}
          </option>
        ))}
      </select>
    </div>
  );
  return (
    <div className="row wrap" style={{ marginBottom: 10 }}>
      <form
        className="field"
        style={{ width: 230 }}
        onSubmit={(event) => {
          event.preventDefault();
          put('text', text);
        }}
      >
        <input
          aria-label="Search traces"
          placeholder="path, subject, client, address, id"
          value={text}
          onChange={(event) => setText(event.target.value)}
          onBlur={() => put('text', text)}
        />
      </form>
      {choose('outcome', 'any outcome', [
        ['passed', 'passed'],
        ['refused', 'refused'],
        ['would-refuse', 'would have been refused'],
      ])}
      {choose(
        'api',
        'any API',
        (apis?.items ?? []).map((item) => [item.id, item.name] as const),
      )}
      {choose(
        'step',
        'any step',
        STEPS.map((step) => [step, `decided at ${STEP_NAMES[step]}`] as const),
      )}
      {choose(
        'code',
        'any code',
        Object.keys(CODES).map((code) => [code, code] as const),
      )}
      {['operation', 'status', 'client', 'subject'].flatMap((name) =>
        query.has(name)
          ? [
              <button
                key={name}
                className="chip"
                style={{ background: 'none', color: 'inherit', cursor: 'pointer' }}
                onClick={() => put(name, '')}
              >{`${name} ${query.get(name) ?? ''} ×`}</button>,
            ]
          : [],
      )}
      {since && (
        <button className="chip" style={{ background: 'none', color: 'inherit', cursor: 'pointer' }} onClick={() => put('since', '')}>
          since {dayjs(Number(since)).format('D MMM HH:mm')} ×
        </button>
      )}
      {until && (
        <button className="chip" style={{ background: 'none', color: 'inherit', cursor: 'pointer' }} onClick={() => put('until', '')}>
          until {dayjs(Number(until)).format('D MMM HH:mm')} ×
        </button>
      )}
      {clear && (
        <button className="link" onClick={clear}>
          all traces
        </button>
      )}
    </div>
  );
}
