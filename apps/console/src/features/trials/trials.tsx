import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { STEP_NAMES, type TrialResult } from '@virga/core';
import { Ago, Call, Confirm, count, ProblemNotice } from '@virga/parts';
import type { SavedTrialView, TrialOutcomeView, TrialReportView } from '@virga/protocol';
import { useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { api } from '../../client/api';
import { useStanding } from '../../client/standing';
import { DataTable, LongTable, type Column } from '../../parts/data-table';
import { Mark, type MarkKind } from '../../parts/mark';
import { savedTrialsQuery, trialsQuery } from './queries';
import { operationPath } from '../../client/places';

const MARKS: Readonly<Record<TrialResult, MarkKind>> = { holds: 'passed', fails: 'refused', observed: 'would-refuse', 'not-known': 'unknown' };
const WORDS: Readonly<Record<TrialResult, string>> = { holds: 'holds', fails: 'got through', observed: 'only observed', 'not-known': 'hangs on an authorizer' };

type Row = TrialOutcomeView & { readonly id: string };

const COLUMNS: readonly Column<Row>[] = [
  { width: '20px', cell: ({ result }) => <Mark kind={MARKS[result]} word={WORDS[result]} /> },
  { head: 'Tried', width: 'minmax(180px, 5fr)', className: 'clip', cell: ({ tried }) => <span title={tried}>{tried}</span> },
  { head: 'On', width: 'minmax(140px, 4fr)', className: 'clip', cell: ({ method, path }) => <Call method={method} path={path} /> },
  { head: 'expected', width: '64px', cell: ({ expected }) => <span className="quiet">{expected}</span> },
  {
    head: 'What came of it',
    width: 'minmax(180px, 5fr)',
    className: 'clip',
    cell: ({ result, step, sentence }) => (
      <span title={sentence}>
        {result !== 'fails' && <b>{STEP_NAMES[step]} </b>}
        <span className={result === 'fails' ? 'rust' : 'quiet'}>{result === 'not-known' ? 'let in, as far as is known without its authorizer' : sentence}</span>
      </span>
    ),
  },
];

/** Attacks on every guarded operation of the draft, and requests that were saved: what was expected, and what came of each. */
export function TrialsScreen() {
  const { data: standing } = useStanding();
  const revision = JSON.stringify([standing?.changeCount, standing?.changes, standing?.live?.number]);
  const trials = useQuery({ ...trialsQuery(revision), enabled: standing !== undefined });
  const { data: report } = trials;
  return (
    <>
      <div className="page-head">
        <h1>Trials</h1>
        <span className="quiet">attacks and saved requests that must come out as expected, decided by the draft</span>
        <span className="after">
          <Button variant="contained" disabled={trials.isFetching} onClick={() => void trials.refetch()}>
            {trials.isFetching ? 'Trying…' : 'Try again'}
          </Button>
        </span>
      </div>
      <ProblemNotice error={trials.error} />
      {!report && trials.isFetching && <p className="quiet">Trying to get into every guarded operation…</p>}
      {report && <Report report={report} />}
      <Saved />
    </>
  );
}

function Report({ report }: { readonly report: TrialReportView }) {
  const [query, setQuery] = useSearchParams();
  const text = (query.get('text') ?? '').toLowerCase();
  const result = query.get('result') ?? '';
  const items = report.items
    .filter((item) => (result === '' || item.result === result) && (text === '' || item.name.toLowerCase().includes(text)))
    .map((item): Row => ({ ...item, id: item.name }));
  const put = (name: string, value: string) => {
    const next = new URLSearchParams(query);
    if (value) next.set(name, value);
    else next.delete(name);
    setQuery(next, { replace: true });
  };
  if (report.items.length === 0)
    return (
      <div className="empty">
        <h2>There is nothing to try</h2>
        <p>No operation asks who is calling yet. Say who may call, and every way around it is tried here.</p>
        <Link to="/apis">Open the APIs</Link>
      </div>
    );
  return (
    <>
      <p style={{ margin: '0 0 8px' }}>
        <Mark kind={report.fails === 0 ? 'passed' : 'refused'} word={report.fails === 0 ? 'nothing got through' : 'something got through'} />{' '}
        <b>{report.fails === 0 ? 'Nothing got through.' : `${count(report.fails)} got through.`}</b> {count(report.holds)} trials of {report.operations}{' '}
        {report.operations === 1 ? 'operation' : 'operations'} hold
        {report.observed > 0 && <span className="ochre">, {count(report.observed)} would only be observed</span>}
        {report.notKnown > 0 && `, ${count(report.notKnown)} hang on an authorizer`}
        <span className="quiet">; {count(Math.round(report.tookMs))} ms</span>
      </p>
      {report.cut && (
        <p className="quiet">
          Ways in were not all looked for to the end: some attacks began with a caller that may be stopped for another reason than they are made for.
        </p>
      )}
      <div className="row wrap" style={{ marginBottom: 6 }}>
        <input
          aria-label="Search"
          type="search"
          className="plain"
          style={{ width: 260 }}
          placeholder="what was tried, or an operation"
          value={query.get('text') ?? ''}
          onChange={(event) => put('text', event.target.value)}
        />
        <select aria-label="Result" className="plain" style={{ width: 'auto' }} value={result} onChange={(event) => put('result', event.target.value)}>
          <option value="">all results</option>
          {Object.entries(WORDS).map(([value, words]) => (
            <option key={value} value={value}>
              {words}
            </option>
          ))}
        </select>
        <span className="quiet small">{count(items.length)} shown</span>
      </div>
      <LongTable
        items={items}
        label="Trials, what got through first"
        columns={COLUMNS}
        to={(item) => (item.apiId === '' ? '/trials' : operationPath(item.apiId, item.operationId))}
        name={(item) => `${item.name}: ${WORDS[item.result]}. ${item.sentence}`}
        height={(all) => `min(${all}px, calc(100vh - 400px))`}
      />
    </>
  );
}

function Saved() {
  const { data } = useQuery(savedTrialsQuery);
  const [gone, setGone] = useState<SavedTrialView | null>(null);
  const client = useQueryClient();
  const forget = useMutation({ mutationFn: (id: string) => api.remove(`/trials/saved/${id}`), onSuccess: () => client.invalidateQueries() });
  return (
    <section style={{ marginTop: 18 }}>
      <h2>Saved requests</h2>
      {data?.items.length === 0 && <p className="quiet">None yet. A trace or a probe is saved with one click, and tried again before every release.</p>}
      {data && data.items.length > 0 && (
        <DataTable
          items={data.items}
          columns={[
            { head: 'Name', cell: ({ name }) => <b className="breaks">{name}</b> },
            { head: 'Request', className: 'breaks', cell: ({ method, target }) => <Call method={method} path={target} /> },
            { head: 'By', className: 'breaks', cell: ({ who, address }) => `${who}${address === null ? '' : `, from ${address}`}` },
            { head: 'expected', cell: ({ expected }) => expected },
            {
              head: 'Saved',
              cell: ({ savedAt, savedBy }) => (
                <>
                  <Ago at={savedAt} /> <span className="quiet">by {savedBy}</span>
                </>
              ),
            },
            {
              cell: (item) => (
                <button className="link" onClick={() => setGone(item)}>
                  take away
                </button>
              ),
            },
          ]}
        />
      )}
      <ProblemNotice error={forget.error} />
      {gone && (
        <Confirm
          title={`Take ${gone.name} away`}
          action="Take it away"
          onNo={() => setGone(null)}
          onYes={() => forget.mutate(gone.id, { onSettled: () => setGone(null) })}
        >
          It is not tried before releases any more.
        </Confirm>
      )}
    </section>
  );
}
