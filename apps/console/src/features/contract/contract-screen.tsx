import { ANSWER_PARTS, CONTRACT_PARTS, partWords, type ContractPart } from '@virga/core';
import { useQuery } from '@tanstack/react-query';
import { count, ProblemNotice } from '@virga/parts';
import type { ContractStanding } from '@virga/protocol';
import { useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { conformanceQuery } from '../../client/conformance';
import { MODE_MARKS, MODE_WORDS, PART_HEADS } from '../../client/contract-parts';
import { Mark } from '../../parts/mark';
import { ContractDialog } from '../apis/contract-dialog';
import { apiQuery } from '../apis/queries';
import { violationsQuery } from './queries';
import { ViolationDetail } from './violation-detail';
import { ViolationsTable } from './violations-table';

const SPANS = [
  [1, 'the last hour'],
  [24, 'the last 24 hours'],
  [168, 'the last 7 days'],
] as const;

/** What of the contracts is checked, and what differs from them. */
export function ContractScreen() {
  const [query, setQuery] = useSearchParams();
  const [editing, setEditing] = useState<string | null>(null);
  const standing = useQuery(conformanceQuery);
  const api = query.get('api') ?? undefined;
  const part = query.get('part') ?? undefined;
  const hours = SPANS.find(([value]) => String(value) === query.get('hours'))?.[0] ?? 24;
  const found = useQuery(violationsQuery({ api, part, hours }));
  const chosen = query.get('at') ?? '';
  const items = found.data?.items ?? [];
  const item = items.find(({ id }) => id === chosen);
  const put = (change: Readonly<Record<string, string | undefined>>): string => {
    const next = new URLSearchParams(query);
    for (const [name, value] of Object.entries(change)) {
      if (value === undefined || value === '') next.delete(name);
      else next.set(name, value);
    }
    return `?${next.toString()}`;
  };
  const filter = (change: Readonly<Record<string, string | undefined>>) => setQuery(put({ ...change, at: undefined }));
  const named = standing.data?.items.find(({ apiId }) => apiId === api);
  return (
    <>
      <div className="page-head">
        <h1>Contract</h1>
        <span className="quiet">what of each contract is checked, and what differs from it, of the last 24 hours</span>
      </div>
      <ProblemNotice error={standing.error ?? found.error} />
      {standing.data?.items.length === 0 && (
        <p className="quiet">
          There is no API yet. <Link to="/apis/new">Bring one in</Link>; its contract comes with it.
        </p>
      )}
      {standing.data && standing.data.items.length > 0 && (
        <Standing items={standing.data.items} chosen={{ api, part }} onChoose={(one, of) => filter({ api: one, part: of })} onEdit={setEditing} />
      )}
      <div className="row wrap" style={{ margin: '18px 0 8px' }}>
        <h2 style={{ margin: 0 }}>What differs</h2>
        <select aria-label="Span of time" className="plain" style={{ width: 150 }} value={hours} onChange={(event) => filter({ hours: event.target.value })}>
          {SPANS.map(([value, word]) => (
            <option key={value} value={value}>
              {word}
            </option>
          ))}
        </select>
        {(named || part) && (
          <span>
            {named && `of ${named.name}`} {part && CONTRACT_PARTS.some((one) => one === part) && `in ${partWords(part as ContractPart)}`}{' '}
            <button className="link" onClick={() => filter({ api: undefined, part: undefined })}>
              show all
            </button>
          </span>
        )}
        {found.data && found.data.unsent > 0 && (
          <span className="ochre small">Counted from the traces that were kept; {count(found.data.unsent)} more requests came too fast to keep theirs.</span>
        )}
      </div>
      {found.data && items.length === 0 && <p className="quiet">Nothing that is looked at differs. Parts that are off are not looked at.</p>}
      {items.length > 0 && (
        <div style={item ? { display: 'grid', gridTemplateColumns: 'minmax(0, 1fr) 380px', columnGap: 20, alignItems: 'start' } : {}}>
          <div style={{ overflow: 'auto' }}>
            <ViolationsTable items={items} chosen={chosen} brief={item !== undefined} to={({ id }) => put({ at: id })} />
            {found.data?.more && <p className="quiet small">There are more; choose an API or a part above.</p>}
          </div>
          {item && <ViolationDetail item={item} />}
        </div>
      )}
      {editing !== null && <Editing id={editing} onClose={() => setEditing(null)} />}
    </>
  );
}

function Editing({ id, onClose }: { readonly id: string; readonly onClose: () => void }) {
  const { data: api } = useQuery(apiQuery(id));
  return api ? <ContractDialog api={api} operations={null} onClose={onClose} /> : null;
}

const OF_REQUESTS = CONTRACT_PARTS.filter((part) => !ANSWER_PARTS.has(part)).length;

function Standing({
  items,
  chosen,
  onChoose,
  onEdit,
}: {
  readonly items: readonly ContractStanding[];
  readonly chosen: { readonly api: string | undefined; readonly part: string | undefined };
  readonly onChoose: (api: string, part: string | undefined) => void;
  readonly onEdit: (api: string) => void;
}) {
  return (
    <table className="list" aria-label="What of each contract is checked">
      <thead>
        <tr>
          <th rowSpan={2}>API</th>
          <th colSpan={OF_REQUESTS} className="centre">
            of requests
          </th>
          <th colSpan={CONTRACT_PARTS.length - OF_REQUESTS} className="centre">
            of answers
          </th>
          <th rowSpan={2} />
        </tr>
        <tr>
          {CONTRACT_PARTS.map((part) => (
            <th key={part} className="centre" title={partWords(part)}>
              {PART_HEADS[part]}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {items.map((item) => (
          <tr key={item.apiId} className={chosen.api === item.apiId ? 'chosen' : ''}>
            <td>
              <Link to={`/apis/${item.apiId}/contract`}>
                <b>{item.name}</b>
              </Link>{' '}
              <span className="quiet small">{item.version}</span>
              {item.ownRules > 0 && <div className="quiet small">{item.ownRules === 1 ? 'one operation differs' : `${item.ownRules} operations differ`}</div>}
              {item.observesAll && <div className="ochre small">everything only observes</div>}
            </td>
            {item.described ? (
              CONTRACT_PARTS.map((part) => (
                <Part key={part} item={item} part={part} chosen={chosen.api === item.apiId && chosen.part === part} onChoose={onChoose} />
              ))
            ) : (
              <td colSpan={CONTRACT_PARTS.length} className="quiet">
                has no contract to hold anything against
              </td>
            )}
            <td className="whole">
              {item.described && (
                <button className="link" onClick={() => onEdit(item.apiId)}>
                  change
                </button>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Part({
  item,
  part,
  chosen,
  onChoose,
}: {
  readonly item: ContractStanding;
  readonly part: ContractPart;
  readonly chosen: boolean;
  readonly onChoose: (api: string, part: string | undefined) => void;
}) {
  const mode = item.rule.parts?.[part] ?? 'off';
  const counted = item.parts.find((one) => one.part === part);
  const differs = (counted?.refused ?? 0) + (counted?.wouldRefuse ?? 0);
  const looked = counted?.looked ?? 0;
  const words = `${partWords(part)}: ${MODE_WORDS[mode]}; ${looked === 0 ? 'not looked at' : `of ${count(looked)} looked at, ${count(differs)} differed`}`;
  return (
    <td className="centre" title={words} style={chosen ? { boxShadow: 'inset 0 -2px var(--ink)' } : {}}>
      <Mark kind={MODE_MARKS[mode]} word={`${partWords(part)}: ${MODE_WORDS[mode]}`} />
      {differs > 0 && (
        <>
          {' '}
          <button
            className={`in-row number ${(counted?.wouldRefuse ?? 0) > 0 ? 'ochre' : 'rust'}`}
            aria-label={words}
            onClick={() => onChoose(item.apiId, part)}
          >
            {count(differs)}
          </button>
        </>
      )}
    </td>
  );
}
