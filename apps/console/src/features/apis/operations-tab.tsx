import { useQuery } from '@tanstack/react-query';
import { Call, count, ProblemNotice } from '@virga/parts';
import type { ApiView, OperationView } from '@virga/protocol';
import { useContext, useMemo, useState } from 'react';
import { useSearchParams } from 'react-router';
import { LongTable, type Column } from '../../parts/data-table';
import { Mark, type MarkKind } from '../../parts/mark';
import { ProbeContext } from '../probe/probe-state';
import { AccessDialog } from './access-dialog';
import { RulesBar } from './rules-bar';
import { operationsQuery } from './queries';
import { operationPath } from '../../client/places';

/** All operations and who may call them: select many, set at once, see where each value comes from. */
export function OperationsTab({ api }: { readonly api: ApiView }) {
  const { data, error } = useQuery({ ...operationsQuery(api.id), refetchInterval: 10_000 });
  const [query, setQuery] = useSearchParams();
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const filter = query.get('filter') ?? '';
  const show = query.get('show') ?? '';
  const all = useMemo(() => data?.items ?? [], [data]);
  const items = useMemo(() => all.filter((item) => fits(item, filter, show)), [all, filter, show]);
  const one = query.get('set');
  const setting = one === null ? [] : all.filter((item) => item.id === one);
  const selected = all.filter((item) => chosen.has(item.id));
  const toggle = (id: string) => setChosen(flipped(chosen, id));
  const put = (name: string, value: string) => {
    const next = new URLSearchParams(query);
    if (value) next.set(name, value);
    else next.delete(name);
    setQuery(next, { replace: true });
  };
  return (
    <>
      <div className="row wrap" style={{ marginBottom: 10 }}>
        <div className="field" style={{ width: 190 }}>
          <input aria-label="Filter operations" placeholder="Filter operations" value={filter} onChange={(event) => put('filter', event.target.value)} />
        </div>
        <div className="field">
          <select aria-label="Show" value={show} onChange={(event) => put('show', event.target.value)}>
            <option value="">all</option>
            <option value="open">open, nobody decided</option>
            <option value="public">said public</option>
            <option value="observed">only observing</option>
            <option value="changed">not published</option>
            <option value="unmet">met by nobody</option>
          </select>
        </div>
        <span className="quiet">
          {count(items.length)} operations, {selected.length} selected
        </span>
        <RulesBar api={api} selected={selected} />
      </div>
      <ProblemNotice error={error} />
      <Table
        items={items}
        api={api}
        chosen={chosen}
        onToggle={toggle}
        onToggleAll={(on) => setChosen(on ? new Set(items.map((item) => item.id)) : new Set())}
        onSet={(item) => put('set', item.id)}
      />
      <p className="small quiet">
        <Mark kind="passed" word="" /> must pass &ensp; <Mark kind="would-refuse" word="" /> only observes &ensp; <Mark kind="skipped" word="" /> not asked
        &ensp; <Mark kind="refused" word="" /> nobody can meet it &ensp; a line under a method: it changes state &ensp; space selects, Enter opens the operation
      </p>
      {setting.length > 0 && <AccessDialog api={api} operations={setting} onClose={() => put('set', '')} />}
    </>
  );
}

function Table({
  items,
  api,
  chosen,
  onToggle,
  onToggleAll,
  onSet,
}: {
  readonly items: readonly OperationView[];
  readonly api: ApiView;
  readonly chosen: ReadonlySet<string>;
  readonly onToggle: (id: string) => void;
  readonly onToggleAll: (on: boolean) => void;
  /** Opens the question who may call one operation. */
  readonly onSet: (item: OperationView) => void;
}) {
  const probe = useContext(ProbeContext);
  const markAt = (index: number) => (item: OperationView) => {
    const mark = marks(item)[index];
    return mark && <Mark kind={mark} />;
  };
  const columns: readonly Column<OperationView>[] = [
    {
      head: (
        <input
          type="checkbox"
          aria-label="Select all shown"
          checked={items.length > 0 && items.every((item) => chosen.has(item.id))}
          onChange={(event) => onToggleAll(event.target.checked)}
        />
      ),
      width: '20px',
      cell: (item) => (
        <input type="checkbox" aria-label={`Select ${item.method} ${item.path}`} checked={chosen.has(item.id)} onChange={() => onToggle(item.id)} />
      ),
    },
    { head: 'Operation', width: 'minmax(120px, 8fr)', className: 'clip', cell: (item) => <Call method={item.method} path={item.path} /> },
    {
      head: 'Who may call',
      width: 'minmax(90px, 5fr)',
      className: 'clip',
      cell: (item) => (
        <>
          {item.unmet.length > 0 && <b className="rust">nobody gets in </b>}
          <button className={WHO_CLASS[item.effective]} onClick={() => onSet(item)} title="Say who may call">
            {item.who}
          </button>
          {item.liveWho !== null && <span className="ochre">, not published</span>}
          {item.tokenWords !== '' && <span className="quiet small">, {item.tokenWords}</span>}
        </>
      ),
    },
    // Left out on narrow screens; the row’s link says it.
    { head: 'Set at', width: 'var(--set-at)', className: 'clip', cell: (item) => <span className="quiet small">{placeOf(item)}</span> },
    { head: 'Cred', width: '34px', className: 'centre', cell: markAt(0) },
    { head: 'Token', width: '38px', className: 'centre', cell: markAt(1) },
    { head: 'Rights', width: '40px', className: 'centre', cell: markAt(2) },
    { head: '24 h', width: '44px', className: 'number', cell: (item) => count(item.requests) },
    {
      head: 'stopped',
      width: '52px',
      className: 'number',
      cell: (item) => (item.requests === 0 ? '' : `${((item.refused / item.requests) * 100).toFixed(1)} %`),
    },
    {
      width: '40px',
      cell: (item) => (
        <button className="link small" onClick={() => probe.compose({ method: item.method, target: api.basePath + item.path })}>
          probe
        </button>
      ),
    },
  ];
  return (
    <LongTable
      items={items}
      label="Operations"
      columns={columns}
      rowClass={(item) => (chosen.has(item.id) ? 'chosen' : '')}
      to={(item) => operationPath(api.id, item.id)}
      name={(item) => `${item.method} ${item.path}${item.summary ? ` (${item.summary})` : ''}: ${wordsOf(item)}; set at ${placeOf(item)}`}
      onKey={(item, event) => {
        if (event.key !== ' ') return;
        event.preventDefault();
        onToggle(item.id);
      }}
      height={(all) => `min(${all + 4}px, calc(100vh - 330px))`}
    />
  );
}

const WHO_CLASS = { open: 'in-row rust', public: 'in-row ochre', required: 'in-row' } as const;

/** All that a row says about who may call, in full: the cell has one line. */
function wordsOf(item: OperationView): string {
  return [
    item.who,
    item.tokenWords,
    item.observed.length > 0 ? `only observing: ${item.observed.join(', ')}` : '',
    item.liveWho === null ? '' : `not published; live: ${item.liveWho}`,
    item.unmet.length === 0 ? '' : `${item.unmet.join(', ')} has no provider or is not checked: nobody gets in`,
  ]
    .filter(Boolean)
    .join('; ');
}

/** What each check does for an operation: credential, proof of it, rights. */
function marks(item: OperationView): MarkKind[] {
  if (item.effective !== 'required') return ['skipped', 'skipped', 'skipped'];
  if (item.unmet.length > 0) return ['refused', 'refused', 'refused'];
  return (['credential', 'token', 'rights'] as const).map((check) => (item.observed.includes(check) ? 'would-refuse' : 'passed'));
}

function placeOf(item: OperationView): string {
  const by = item.setBy === 'contract' ? 'contract' : 'by hand';
  return item.setAt === 'api' ? `API, ${by}` : `own, ${by}`;
}

function fits(item: OperationView, filter: string, show: string): boolean {
  if (!`${item.method} ${item.path} ${item.operationId ?? ''} ${item.summary} ${item.who}`.toLowerCase().includes(filter.toLowerCase())) return false;
  switch (show) {
    case 'open':
    case 'public':
      return item.effective === show;
    case 'observed':
      return item.observed.length > 0;
    case 'changed':
      return item.liveWho !== null;
    case 'unmet':
      return item.unmet.length > 0;
    default:
      return true;
  }
}

function flipped(set: ReadonlySet<string>, id: string): ReadonlySet<string> {
  const next = new Set(set);
  if (!next.delete(id)) next.add(id);
  return next;
}
