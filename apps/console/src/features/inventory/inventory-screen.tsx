import { useQuery } from '@tanstack/react-query';
import { count, ProblemNotice } from '@virga/parts';
import { INVENTORY_KINDS, type InventoryApi, type InventoryItem, type InventoryKind } from '@virga/protocol';
import { useState } from 'react';
import { Link, useNavigate, useSearchParams } from 'react-router';
import { operationPath } from '../../client/places';
import { apiQuery } from '../apis/queries';
import { InventoryList } from './inventory-list';
import { InventoryTree } from './inventory-tree';
import { KIND_WORDS, KindMark } from './kind-mark';
import { LearningDialog } from './learning-dialog';
import { inventoryQuery } from './queries';
import { ReviewDialog } from './review-dialog';

/** So many operations are drawn; more are a list. */
const MOST_DRAWN = 400;

const idOf = ({ apiId, key }: InventoryItem): string => `${apiId} ${key}`;

/** Which operations there are: in contracts, in traffic, and in both. */
export function InventoryScreen() {
  const [query, setQuery] = useSearchParams();
  const [learning, setLearning] = useState<string | null>(null);
  const navigate = useNavigate();
  const { data, error } = useQuery(inventoryQuery);
  const kinds = new Set((query.get('kind') ?? '').split(',').filter((one): one is InventoryKind => INVENTORY_KINDS.some((kind) => kind === one)));
  const text = query.get('find') ?? '';
  const api = query.get('api') ?? '';
  const dismissed = query.get('dismissed') === 'yes';
  const put = (change: Readonly<Record<string, string>>, replace = false): void => {
    const next = new URLSearchParams(query);
    for (const [name, value] of Object.entries(change)) {
      if (value === '') next.delete(name);
      else next.set(name, value);
    }
    setQuery(next, { replace });
  };
  const all = (data?.items ?? []).filter((item) => dismissed || !item.dismissed);
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const found = all.filter(
    (item) =>
      (api === '' || item.apiId === api) &&
      words.every((word) =>
        `${item.method} ${item.basePath}${item.path} ${item.summary} ${item.required} ${item.credentials.join(' ')}`.toLowerCase().includes(word),
      ),
  );
  const items = found.filter(({ kind }) => kinds.size === 0 || kinds.has(kind));
  const toggle = (kind: InventoryKind): void => {
    const next = new Set(kinds);
    if (!next.delete(kind)) next.add(kind);
    put({ kind: [...next].join(',') });
  };
  const to = (item: InventoryItem): string => (item.kind === 'undocumented' ? `?${withReview(query, item)}` : operationPath(item.apiId, item.key));
  const reviewed = data?.items.find((item) => item.kind === 'undocumented' && idOf(item) === query.get('review'));
  return (
    <>
      <div className="page-head">
        <h1>Inventory</h1>
        <span className="quiet">which operations there are, by the contracts and by what was seen</span>
      </div>
      <ProblemNotice error={error} />
      {data?.apis.length === 0 && (
        <p className="quiet">
          There is no API yet. <Link to="/apis/new">Bring one in</Link>; what its contract says and what its callers do come together here.
        </p>
      )}
      {data && data.apis.length > 0 && (
        <>
          <div className="row wrap" style={{ rowGap: 6, columnGap: 18, marginBottom: 8 }}>
            {INVENTORY_KINDS.map((kind) => (
              <button key={kind} className="kind" aria-pressed={kinds.has(kind)} onClick={() => toggle(kind)}>
                <KindMark kind={kind} /> <b>{count(found.filter((item) => item.kind === kind).length)}</b> {KIND_WORDS[kind]}
              </button>
            ))}
            <input
              className="plain"
              type="search"
              style={{ width: 150, marginLeft: 'auto' }}
              aria-label="Find operations"
              placeholder="path, method, credential"
              value={text}
              onChange={(event) => put({ find: event.target.value }, true)}
            />
            <select className="plain" style={{ width: 140 }} aria-label="API" value={api} onChange={(event) => put({ api: event.target.value })}>
              <option value="">all APIs</option>
              {data.apis.map(({ apiId, name, version }) => (
                <option key={apiId} value={apiId}>
                  {name} {version}
                </option>
              ))}
            </select>
            {data.items.some((item) => item.dismissed) && (
              <label className="check small">
                <input type="checkbox" checked={dismissed} onChange={(event) => put({ dismissed: event.target.checked ? 'yes' : '' })} />
                with dismissed
              </label>
            )}
          </div>
          {data.dropped > 0 && (
            <p className="ochre small" style={{ margin: '0 0 8px' }}>
              In the last 24 hours {count(data.taken)} requests were looked into; {count(data.dropped)} more came too fast and were passed over.
            </p>
          )}
          {items.length === 0 && <p className="quiet">No operation is like that.</p>}
          {items.length > MOST_DRAWN ? (
            <InventoryList items={items.map((item) => ({ ...item, id: idOf(item) }))} to={to} />
          ) : (
            groups(items, data.apis, api === '' && kinds.size === 0 && text === '').map(({ of, own }) => (
              <InventoryTree key={of.apiId} api={of} items={own} to={to} onLearning={() => setLearning(of.apiId)} />
            ))
          )}
        </>
      )}
      {learning !== null && <Learning id={learning} onClose={() => setLearning(null)} />}
      {reviewed && <ReviewDialog item={reviewed} key={idOf(reviewed)} onClose={() => void navigate(`?${without(query, 'review')}`, { replace: true })} />}
    </>
  );
}

function withReview(query: URLSearchParams, item: InventoryItem): string {
  const next = new URLSearchParams(query);
  next.set('review', idOf(item));
  return next.toString();
}

function without(query: URLSearchParams, name: string): string {
  const next = new URLSearchParams(query);
  next.delete(name);
  return next.toString();
}

/** Operations by their APIs. @param empty whether APIs without any are shown too */
function groups(
  items: readonly InventoryItem[],
  apis: readonly InventoryApi[],
  empty: boolean,
): { readonly of: InventoryApi; readonly own: readonly InventoryItem[] }[] {
  return apis.map((of) => ({ of, own: items.filter(({ apiId }) => apiId === of.apiId) })).filter(({ own }) => empty || own.length > 0);
}

function Learning({ id, onClose }: { readonly id: string; readonly onClose: () => void }) {
  const { data: api } = useQuery(apiQuery(id));
  return api ? <LearningDialog api={api} operations={null} onClose={onClose} /> : null;
}
