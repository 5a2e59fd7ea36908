import { useQuery } from '@tanstack/react-query';
import { Ago, Call, count, ProblemNotice } from '@virga/parts';
import type { SensitiveApiView, SensitiveFindingView, SensitiveView } from '@virga/protocol';
import { Fragment, useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { withQuery } from '../../client/api';
import { operationPath } from '../../client/places';
import { DataTable } from '../../parts/data-table';
import { DayBars } from '../../parts/day-bars';
import { apiQuery } from '../apis/queries';
import { OwnDetectors } from './own-detectors';
import { sensitiveQuery } from './queries';
import { SensitiveDialog } from './sensitive-dialog';
import { isAnswer, isEnforced, SIDE_WORDS, wordsOfUse } from './words';

const idOf = ({ apiId, method, path, side, at, detector }: SensitiveFindingView): string => [apiId, detector, side, method, path, at].join(' ');

/** What sensitive data travels, where, and who gets it. */
export function SensitiveScreen() {
  const [query, setQuery] = useSearchParams();
  const [editing, setEditing] = useState<string | null>(null);
  const [own, setOwn] = useState(false);
  const { data, error } = useQuery(sensitiveQuery);
  const api = query.get('api') ?? '';
  const kind = query.get('kind') ?? '';
  const put = (change: Readonly<Record<string, string>>): string => {
    const next = new URLSearchParams(query);
    for (const [name, value] of Object.entries(change)) {
      if (value === '') next.delete(name);
      else next.set(name, value);
    }
    return `?${next.toString()}`;
  };
  const items = (data?.items ?? []).filter((item) => (api === '' || item.apiId === api) && (kind === '' || item.detector === kind));
  const chosen = items.find((item) => idOf(item) === query.get('at'));
  const kinds = [...new Map((data?.items ?? []).map(({ detector, detectorName }) => [detector, detectorName]))];
  const looksFor = data?.apis.some(({ rule }) => rule.uses.length > 0) ?? false;
  return (
    <>
      <div className="page-head">
        <h1>Sensitive data</h1>
        <span className="quiet">what travels that should not, where, and who gets it; values are never kept</span>
        <span className="after">
          <button className="link" onClick={() => setOwn(true)}>
            detectors of one’s own
          </button>
        </span>
      </div>
      <ProblemNotice error={error} />
      {data && data.apis.length === 0 && (
        <p className="quiet">
          There is no API yet. <Link to="/apis/new">Bring one in</Link>, and say what is looked for in its traffic.
        </p>
      )}
      {data && data.apis.length > 0 && <LookedFor data={data} onEdit={setEditing} />}
      {data && data.apis.length > 0 && (
        <div className="row wrap" style={{ margin: '18px 0 8px' }}>
          <h2 style={{ margin: 0 }}>Found</h2>
          <select
            className="plain"
            style={{ width: 170 }}
            aria-label="API"
            value={api}
            onChange={(event) => setQuery(put({ api: event.target.value, at: '' }))}
          >
            <option value="">in all APIs</option>
            {data.apis.map(({ apiId, name, version }) => (
              <option key={apiId} value={apiId}>
                {name} {version}
              </option>
            ))}
          </select>
          <select
            className="plain"
            style={{ width: 190 }}
            aria-label="Kind"
            value={kind}
            onChange={(event) => setQuery(put({ kind: event.target.value, at: '' }))}
          >
            <option value="">of every kind</option>
            {kinds.map(([id, name]) => (
              <option key={id} value={id}>
                {name}
              </option>
            ))}
          </select>
          {data.dropped > 0 && (
            <span className="ochre small">
              In the last 24 hours {count(data.taken)} requests were looked into; {count(data.dropped)} more came too fast and were passed over.
            </span>
          )}
        </div>
      )}
      {data && data.apis.length > 0 && items.length === 0 && (
        <p className="quiet">
          {looksFor ? 'Nothing was found of what is looked for.' : 'Nothing is looked for yet. Say above what is; until then it costs nothing.'}
        </p>
      )}
      {items.length > 0 && (
        <div style={chosen ? { display: 'grid', gridTemplateColumns: 'minmax(0, 1fr) 300px', columnGap: 20, alignItems: 'start' } : {}}>
          <Found items={items} chosen={chosen} to={(item) => put({ at: idOf(item) })} />
          {chosen && <Detail item={chosen} rule={data?.apis.find(({ apiId }) => apiId === chosen.apiId)} onEdit={() => setEditing(chosen.apiId)} />}
        </div>
      )}
      {editing !== null && data && <Editing id={editing} data={data} onClose={() => setEditing(null)} />}
      {own && data && <OwnDetectors data={data} onClose={() => setOwn(false)} />}
    </>
  );
}

function Editing({ id, data, onClose }: { readonly id: string; readonly data: SensitiveView; readonly onClose: () => void }) {
  const { data: api } = useQuery(apiQuery(id));
  return api ? <SensitiveDialog subject={{ api, operations: null, onClose }} view={data} /> : null;
}

/** What each API is looked through for. */
function LookedFor({ data, onEdit }: { readonly data: SensitiveView; readonly onEdit: (api: string) => void }) {
  const names = new Map([...data.detectors, ...data.own].map(({ id, name }) => [id, name]));
  const words = ({ rule }: SensitiveApiView) =>
    rule.uses.map((use) => (
      <Fragment key={use.detector}>
        <span className="whole" style={{ marginRight: 14 }}>
          {names.get(use.detector) ?? use.detector} <span className={isEnforced(use) ? 'rust' : 'quiet'}>{wordsOfUse(use)}</span>
        </span>{' '}
      </Fragment>
    ));
  return (
    <DataTable
      items={data.apis}
      label="What is looked for"
      keyOf={({ apiId }) => apiId}
      columns={[
        {
          head: 'API',
          className: 'whole',
          cell: ({ apiId, name, version }) => (
            <>
              <Link to={`/apis/${apiId}`}>
                <b>{name}</b>
              </Link>{' '}
              <span className="quiet small">{version}</span>
            </>
          ),
        },
        { head: 'is looked through for', cell: (item) => (item.rule.uses.length === 0 ? <span className="quiet">nothing</span> : words(item)) },
        {
          className: 'whole',
          cell: ({ apiId, name }) => (
            <button className="link" aria-label={`change what ${name} is looked through for`} onClick={() => onEdit(apiId)}>
              change
            </button>
          ),
        },
      ]}
    />
  );
}

function Found({
  items,
  chosen,
  to,
}: {
  readonly items: readonly SensitiveFindingView[];
  readonly chosen: SensitiveFindingView | undefined;
  readonly to: (item: SensitiveFindingView) => string;
}) {
  const brief = chosen !== undefined;
  return (
    <div style={{ overflow: 'auto' }}>
      <DataTable
        items={items}
        label="Sensitive data that was found"
        keyOf={idOf}
        to={to}
        chosen={(item) => item === chosen}
        columns={[
          {
            head: 'what',
            cell: (item, open) => open(item.detectorName, `${item.detectorName}, ${item.method} ${item.path}, ${SIDE_WORDS[item.side]} ${item.at}`),
          },
          {
            head: 'operation',
            cell: ({ method, path, apiName, operationId }) => (
              <>
                <Call method={method} path={path} />
                <div className="quiet small">
                  {apiName}
                  {operationId === '' && <span className="ochre">, in no contract</span>}
                </div>
              </>
            ),
          },
          {
            head: 'where',
            cell: ({ side, at }) => (
              <>
                {SIDE_WORDS[side]} <span className="mono breaks">{at}</span>
              </>
            ),
          },
          { head: 'messages', className: 'number', cell: ({ messages }) => count(messages) },
          ...(brief
            ? []
            : [
                { head: 'values', className: 'number', cell: ({ values }: SensitiveFindingView) => count(values) },
                { head: 'got through', className: 'number', cell: ({ reached }: SensitiveFindingView) => count(reached) },
                { head: 'last', className: 'whole', cell: ({ lastAt }: SensitiveFindingView) => <Ago at={lastAt} /> },
              ]),
        ]}
      />
    </div>
  );
}

function Detail({ item, rule, onEdit }: { readonly item: SensitiveFindingView; readonly rule: SensitiveApiView | undefined; readonly onEdit: () => void }) {
  const { apiId, operationId, detectorName, side, at, messages, values, reached, samples, callers, firstAt, lastAt, days, method, path } = item;
  const use = rule?.rule.uses.find(({ detector }) => detector === item.detector);
  const said = isAnswer(side) ? (use?.answer ?? null) : (use?.request ?? null);
  return (
    <aside className="why stack" aria-label="This finding">
      <h2 style={{ margin: 0 }}>{detectorName}</h2>
      <p className="small">
        {count(values)} {values === 1 ? 'value' : 'values'} in {count(messages)} messages, {SIDE_WORDS[side]} <span className="mono breaks">{at}</span>;{' '}
        {reached === messages ? 'all of them got through' : `${count(reached)} of them got through`}. First <Ago at={firstAt} />, last <Ago at={lastAt} />.
      </p>
      <DayBars days={days} what="messages" />
      <section>
        <h3 style={{ margin: '0 0 4px' }}>Values like</h3>
        <ul className="plain-list mono small breaks">
          {samples.map((sample) => (
            <li key={sample}>{sample}</li>
          ))}
        </ul>
      </section>
      <section>
        <h3 style={{ margin: '0 0 4px' }}>{isAnswer(side) ? 'Who received it' : 'Who sent it'}</h3>
        <ul className="plain-list small">
          {callers.map(({ name, count: own }) => (
            <li key={name} className="row spread">
              <Link to={withQuery('/traces', { api: apiId, client: name })} className="breaks">
                {name}
              </Link>
              <span className="number">{count(own)}</span>
            </li>
          ))}
        </ul>
      </section>
      <p className="small">
        In the draft it is {said === null ? 'not looked for there' : { tell: 'told of, and passes', mask: 'masked before it leaves', refuse: 'refused' }[said]}.{' '}
        <button className="link" onClick={onEdit}>
          change
        </button>
      </p>
      <p className="small">
        {operationId === '' ? (
          <Link to={withQuery('/inventory', { api: apiId, kind: 'undocumented' })}>
            {method} {path} is in no contract
          </Link>
        ) : (
          <Link to={operationPath(apiId, operationId)}>the operation</Link>
        )}
      </p>
    </aside>
  );
}
