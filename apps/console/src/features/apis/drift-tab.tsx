import Dialog from '@mui/material/Dialog';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { queryOptions, useMutation, useQuery } from '@tanstack/react-query';
import type { DriftKind, SecurityKind } from '@virga/core';
import { Ago, Call, count, ProblemNotice, saveText } from '@virga/parts';
import type { ApiView, ContractText, DriftList, DriftView } from '@virga/protocol';
import { useState } from 'react';
import { Link } from 'react-router';
import { api as control } from '../../client/api';
import { operationPath } from '../../client/places';
import { AcceptChange } from '../../parts/accept-change';
import { DataTable } from '../../parts/data-table';
import { DayBars } from '../../parts/day-bars';

const driftQuery = (id: string) =>
  queryOptions({ queryKey: ['apis', id, 'drift'], queryFn: () => control.get<DriftList>(`/apis/${id}/drift`), refetchInterval: 15_000 });

const KIND_WORDS: Readonly<Record<DriftKind, string>> = {
  undescribed: 'is not described',
  'never-seen': 'was never seen',
  'other-type': 'has another type',
  missing: 'is left out',
};

const GAP_WORDS: Readonly<Record<SecurityKind, string>> = {
  'open-instead': 'the contract asks, the gateway does not',
  'asked-instead': 'the gateway asks, the contract does not say so',
  other: 'they ask for different things',
  'only-observed': 'asked for and only observed',
  'not-described': 'the contract does not have it',
};

/** Where traffic and contract disagree, field by field; and where the contract's security says other than what the gateway does. */
export function DriftTab({ api }: { readonly api: ApiView }) {
  const { data, error } = useQuery(driftQuery(api.id));
  const fetchText = useMutation({
    mutationFn: async ({ path, name }: { readonly path: string; readonly name: string }) => {
      const { text, format } = await control.get<ContractText>(`/apis/${api.id}/${path}`);
      saveText(`${[api.name, name].filter(Boolean).join(' ')}.${format === 'json' ? 'json' : 'yaml'}`, text);
    },
  });
  if (error) return <ProblemNotice error={error} />;
  if (!data) return <p className="quiet">Comparing…</p>;
  return (
    <div className="stack">
      <div className="row spread wrap">
        <h2 style={{ margin: 0 }}>Fields about which they disagree</h2>
        <span className="small">
          Download:{' '}
          <button className="link" disabled={fetchText.isPending} onClick={() => fetchText.mutate({ path: 'contract', name: '' })}>
            the contract
          </button>
          ,{' '}
          <button className="link" disabled={fetchText.isPending} onClick={() => fetchText.mutate({ path: 'contract/openapi-3.1', name: 'as OpenAPI 3.1' })}>
            it as OpenAPI 3.1
          </button>
          ,{' '}
          <button className="link" disabled={fetchText.isPending} onClick={() => fetchText.mutate({ path: 'contract/enforced', name: 'as enforced' })}>
            it with what is really enforced
          </button>
          ,{' '}
          <button className="link" disabled={fetchText.isPending} onClick={() => fetchText.mutate({ path: 'learned/document', name: 'learned' })}>
            what was learned and is in no contract
          </button>
        </span>
      </div>
      <ProblemNotice error={fetchText.error} />
      {data.items.length === 0 && (
        <p className="quiet">
          {api.learning.on ? 'None so far.' : 'Nothing is learned from the traffic of this API. '}
          {!api.learning.on && <Link to={`/inventory?api=${api.id}`}>Say so in the inventory</Link>}
        </p>
      )}
      {data.items.length > 0 && <Fields api={api} items={data.items} />}
      <h2 style={{ margin: '10px 0 0' }}>Declared against enforced</h2>
      {data.security.length === 0 && <p className="quiet">The contract’s security says what the gateway does.</p>}
      {data.security.length > 0 && (
        <DataTable
          items={data.security}
          label="Declared against enforced"
          keyOf={({ operationId }) => operationId}
          to={({ operationId }) => operationPath(api.id, operationId)}
          columns={[
            { head: 'operation', cell: ({ method, path }, open) => open(<Call method={method} path={path} />) },
            { head: '', cell: ({ kind }) => <span className={kind === 'open-instead' ? 'rust' : 'ochre'}>{GAP_WORDS[kind]}</span> },
            { head: 'the contract declares', cell: ({ declared }) => declared },
            {
              head: 'the gateway enforces',
              cell: ({ enforced, kind }) => (kind === 'only-observed' ? <span className="ochre">nothing yet: it only observes</span> : enforced),
            },
          ]}
        />
      )}
    </div>
  );
}

const keyOf = ({ operationId, kind, where, at }: DriftView): string => `${operationId} ${kind} ${where} ${at}`;

function Fields({ api, items }: { readonly api: ApiView; readonly items: readonly DriftView[] }) {
  const [taken, setTaken] = useState<DriftView | null>(null);
  return (
    <>
      <DataTable
        items={items}
        label="Fields about which traffic and contract disagree"
        keyOf={keyOf}
        to={({ operationId }) => operationPath(api.id, operationId)}
        columns={[
          { head: 'operation', cell: ({ method, path, where, at }, open) => open(<Call method={method} path={path} />, `${method} ${path}, ${where} ${at}`) },
          {
            head: 'field',
            cell: ({ where, at }) => (
              <>
                {where} <span className="mono breaks">{at}</span>
              </>
            ),
          },
          {
            head: 'what of it',
            cell: ({ kind, said, found }) => (
              <>
                {KIND_WORDS[kind]}
                {kind === 'other-type' && (
                  <span className="quiet">
                    : {found}, not {said}
                  </span>
                )}
                {kind === 'undescribed' && <span className="quiet">: {found}</span>}
              </>
            ),
          },
          {
            head: 'in',
            className: 'number whole',
            cell: ({ count: seen, of }) => (
              <>
                {count(seen)} <span className="quiet">of {count(of)}</span>
              </>
            ),
          },
          { head: 'since', className: 'whole', cell: ({ firstAt, kind }) => (kind === 'never-seen' ? '–' : <Ago at={firstAt} />) },
          { head: 'by day', cell: ({ days, kind }) => (kind === 'never-seen' ? null : <DayBars days={days} what="times" width={130} />) },
          {
            cell: (item) =>
              item.kind !== 'never-seen' && (
                <button className="link" onClick={() => setTaken(item)}>
                  accept
                </button>
              ),
          },
        ]}
      />
      {taken && (
        <Dialog open onClose={() => setTaken(null)}>
          <DialogTitle>
            {taken.where} <span className="mono breaks">{taken.at}</span> {KIND_WORDS[taken.kind]}
          </DialogTitle>
          <DialogContent>
            <AcceptChange
              apiId={api.id}
              path={`/apis/${api.id}/drift/accept`}
              input={{ operationId: taken.operationId, kind: taken.kind, where: taken.where, at: taken.at }}
              onDone={() => setTaken(null)}
            />
          </DialogContent>
        </Dialog>
      )}
    </>
  );
}
