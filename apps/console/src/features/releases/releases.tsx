import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Ago, Confirm, Copyable, count, ProblemNotice } from '@virga/parts';
import type { CaseResultView, ReleaseSummary, TrialsKept } from '@virga/protocol';
import { useState } from 'react';
import { Link, useParams } from 'react-router';
import { api } from '../../client/api';
import { useStanding } from '../../client/standing';
import { DataTable } from '../../parts/data-table';
import { Mark } from '../../parts/mark';
import { ChangeList } from './change-list';
import { EditList } from './edit-list';
import { releaseQuery, releasesQuery, useGoLive } from './queries';

/** What is not published, the nodes, and the history of releases. */
export function Releases() {
  const { number } = useParams();
  const { data: releases } = useQuery(releasesQuery);
  const { data: standing } = useStanding();
  const [discarding, setDiscarding] = useState(false);
  const client = useQueryClient();
  const discard = useMutation({ mutationFn: () => api.post('/draft/discard'), onSuccess: () => client.invalidateQueries() });
  const chosen = number === undefined ? null : Number(number);
  return (
    <>
      <div className="page-head">
        <h1>Releases</h1>
        <span className="quiet">each is immutable; rolling back publishes an earlier one again</span>
      </div>
      <div className="columns">
        <div className="stack">
          <History items={releases?.items ?? []} live={standing?.live?.number ?? null} chosen={chosen} />
          <Nodes />
        </div>
        <div className="stack">
          {chosen !== null && <ReleaseDetail number={chosen} live={standing?.live?.number ?? null} />}
          {standing && chosen === null && (
            <section>
              <div className="row spread">
                <h2>Draft against live</h2>
                {standing.live && standing.changeCount > 0 && (
                  <Button color="error" onClick={() => setDiscarding(true)}>
                    Discard the draft
                  </Button>
                )}
              </div>
              <ChangeList changes={standing.changes} total={standing.changeCount} />
              {standing.problems.map((item) => (
                <div key={item.pointer} className="notice wrong">
                  The draft cannot be published: {item.detail} <span className="mono small">{item.pointer}</span>
                </div>
              ))}
              <ProblemNotice error={discard.error} />
            </section>
          )}
          {chosen === null && <EditList />}
        </div>
      </div>
      {discarding && standing && (
        <Confirm
          title="Discard the draft"
          action={`Discard ${standing.changeCount} changes`}
          onNo={() => setDiscarding(false)}
          onYes={() => discard.mutate(undefined, { onSettled: () => setDiscarding(false) })}
        >
          The draft becomes equal to release {standing.live?.number}. {standing.changeCount} unpublished changes are lost; traffic is not touched.
        </Confirm>
      )}
    </>
  );
}

function History({ items, live, chosen }: { readonly items: readonly ReleaseSummary[]; readonly live: number | null; readonly chosen: number | null }) {
  if (items.length === 0) {
    return (
      <div className="empty">
        <h2>Nothing was published yet</h2>
        <p>Every edit goes to the draft. Bring an API in, say who may call it, and publish with the button at the top.</p>
        <Link to="/apis/new">Bring an API in</Link>
      </div>
    );
  }
  return (
    <DataTable
      items={items}
      keyOf={({ number }) => number}
      to={({ number }) => `/releases/${number}`}
      chosen={({ number }) => chosen === number}
      columns={[
        {
          head: 'Release',
          cell: ({ number }, open) => (
            <>
              {live === number && <Mark kind="passed" word="live" />} {open(number, `Release ${number}`)} {live === number && 'live'}
            </>
          ),
        },
        {
          head: 'Published',
          cell: (release) => (
            <>
              <Ago at={release.publishedAt} /> <span className="quiet">by {release.publishedBy}</span>
            </>
          ),
        },
        { head: 'Note', cell: ({ note }) => note },
        { head: 'operations', className: 'number', cell: (release) => count(release.operationCount) },
      ]}
    />
  );
}

function ReleaseDetail({ number, live }: { readonly number: number; readonly live: number | null }) {
  const { data: release, error } = useQuery(releaseQuery(number));
  const [asking, setAsking] = useState(false);
  const rollBack = useGoLive(`/releases/${number}/roll-back`);
  if (error) return <ProblemNotice error={error} />;
  if (!release) return <p className="quiet">Reading…</p>;
  return (
    <section className="stack">
      <div className="row spread">
        <h2>Release {number}</h2>
        <span className="row">
          <Link to="/releases">Back to the draft</Link>
          {live !== number && (
            <Button variant="outlined" onClick={() => setAsking(true)}>
              Roll back to this
            </Button>
          )}
        </span>
      </div>
      <dl className="facts">
        <dt>content hash</dt>
        <dd>
          <Copyable text={release.hash} shown={`${release.hash.slice(0, 16)}…`} />
        </dd>
        <dt>holds</dt>
        <dd>
          {release.apiCount} APIs, {count(release.operationCount)} operations, {release.providerCount} providers
        </dd>
        {release.rolledBackTo !== null && (
          <>
            <dt>rolls back to</dt>
            <dd>release {release.rolledBackTo}</dd>
          </>
        )}
      </dl>
      {release.cases && <CasesOf cases={release.cases.items} />}
      {release.trials && <TrialsOf trials={release.trials} />}
      <h2>Against the release before</h2>
      <ChangeList changes={release.changes} />
      <ProblemNotice error={rollBack.error} />
      {asking && (
        <Confirm
          title={`Roll back to release ${number}`}
          action="Publish it again"
          onNo={() => setAsking(false)}
          onYes={() => rollBack.mutate({ note: '' }, { onSettled: () => setAsking(false) })}
        >
          The document of release {number} becomes live under a new number, at once and on every node. What was published since stops being in force; the draft
          stays as it is.
        </Confirm>
      )}
    </section>
  );
}

function Nodes() {
  const { data: standing } = useStanding();
  if (!standing) return null;
  return (
    <section>
      <h2>Gateway nodes</h2>
      {standing.nodes.length === 0 && <p className="quiet">No node has connected yet.</p>}
      <DataTable
        items={standing.nodes}
        keyOf={({ name }) => name}
        columns={[
          {
            cell: (node) => (
              <>
                <Mark kind={node.state === 'connected' ? 'passed' : 'unknown'} word={node.state} /> {node.name}
              </>
            ),
          },
          {
            cell: (node) =>
              node.state !== 'connected' ? (
                <>
                  away, seen <Ago at={node.seenAt} />
                </>
              ) : node.release === null ? (
                'connected, serves nothing yet'
              ) : (
                `serves release ${node.release}`
              ),
          },
          { className: 'mono', cell: (node) => node.gatewayUrl },
          { className: 'quiet', cell: (node) => `${count(node.knownTokens)} tokens known` },
        ]}
      />
    </section>
  );
}

/** The trials that were run before it was published, and those that did not hold. */
function TrialsOf({ trials }: { readonly trials: TrialsKept }) {
  const { holds, fails, observed, notKnown, operations, overruled, items } = trials;
  if (operations === 0 && holds === 0 && fails === 0) return null;
  const open = [observed > 0 ? `${count(observed)} only observed` : '', notKnown > 0 ? `${count(notKnown)} hung on an authorizer` : ''].filter(Boolean);
  return (
    <div>
      <p style={{ margin: 0 }}>
        {count(holds)} trials of {operations} {operations === 1 ? 'operation' : 'operations'} held before it was published
        {open.length > 0 ? `, ${open.join(', ')}` : ''}
        {overruled.length > 0 ? '; overruled:' : '.'}
      </p>
      {items
        .filter(({ name }) => overruled.includes(name))
        .map(({ name, sentence }) => (
          <div key={name} className="small rust breaks">
            {name}. {sentence}
          </div>
        ))}
    </div>
  );
}

/** What was run before it was published. */
function CasesOf({ cases }: { readonly cases: readonly CaseResultView[] }) {
  const overruled = cases.filter((one) => one.overruled);
  return (
    <div>
      <p style={{ margin: 0 }}>
        {cases.length - overruled.length} of {cases.length} cases of authorizers held before it was published{overruled.length > 0 ? '; overruled:' : '.'}
      </p>
      {overruled.map(({ authorizer, name, sentence }) => (
        <div key={`${authorizer} ${name}`} className="small rust" style={{ overflowWrap: 'anywhere' }}>
          {authorizer}: {name}. {sentence}
        </div>
      ))}
    </div>
  );
}
