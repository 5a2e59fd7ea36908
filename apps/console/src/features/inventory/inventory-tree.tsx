import useMediaQuery from '@mui/material/useMediaQuery';
import { Ago, count, listKeys, Method } from '@virga/parts';
import type { InventoryApi, InventoryItem } from '@virga/protocol';
import { useMemo } from 'react';
import { Link } from 'react-router';
import { KIND_WORDS } from './kind-mark';
import { PathChart } from './path-chart';
import { layOutPaths, ROW } from './path-tree';

/** Width of the picture; in a narrow window the words beside it need the room. */
const ROOM = { wide: 400, narrow: 270 } as const;

const columnsWith = (room: number): string => `${room}px 58px 58px 44px minmax(0, 1.1fr) minmax(0, 1.3fr) 84px`;

/** Kinds of credentials as callers came with them. */
export const CREDENTIAL_WORDS: Readonly<Record<string, string>> = {
  token: 'a token',
  key: 'a key',
  basic: 'name and secret',
  certificate: 'a certificate',
  none: 'nothing',
  unasked: 'an unasked one',
};

/** What callers came with, in words. */
export const cameWith = ({ credentials }: InventoryItem): string => credentials.map((kind) => CREDENTIAL_WORDS[kind] ?? kind).join(', ');

/** The operations of one API: a tree of paths, and beside every end of it what is known of the operation. */
export function InventoryTree({
  api,
  items,
  to,
  onLearning,
}: {
  readonly api: InventoryApi;
  readonly items: readonly InventoryItem[];
  readonly to: (item: InventoryItem) => string;
  readonly onLearning: () => void;
}) {
  const pieces = useMemo(() => layOutPaths(items), [items]);
  const room = useMediaQuery('(max-width: 1180px)') ? ROOM.narrow : ROOM.wide;
  const columns = columnsWith(room);
  const rows = pieces.filter(({ item }) => item !== null).sort((a, b) => a.y - b.y);
  return (
    <section style={{ marginBottom: 18 }} aria-label={`${api.name} ${api.version}`}>
      <div className="row spread" style={{ alignItems: 'baseline' }}>
        <h2 style={{ margin: 0 }}>
          <Link to={`/apis/${api.apiId}`}>{api.name}</Link> <span className="quiet small">{api.version}</span>
        </h2>
        <span className="small quiet">
          <LearningWords api={api} />{' '}
          <button className="link" onClick={onLearning}>
            change
          </button>
        </span>
      </div>
      <div className="vhead" style={{ gridTemplateColumns: columns, padding: '0 4px' }}>
        <span>path</span>
        <span />
        <span className="number">requests</span>
        <span className="number">errors</span>
        <span>came with</span>
        <span>asks for</span>
        <span>last seen</span>
      </div>
      <div style={{ position: 'relative' }} onKeyDown={listKeys}>
        <div style={{ position: 'absolute', left: 4, top: 0, overflow: 'hidden', width: room, pointerEvents: 'none' }}>
          <PathChart pieces={pieces} rows={rows.length} room={room} />
        </div>
        {rows.map(({ item }, index) => item && <Row key={`${item.key} ${item.kind}`} item={item} row={index} columns={columns} to={to(item)} />)}
      </div>
      {items.length === 0 && <p className="quiet small">No operation.</p>}
    </section>
  );
}

function Row({ item, row, columns, to }: { readonly item: InventoryItem; readonly row: number; readonly columns: string; readonly to: string }) {
  const { method, path, kind, requests, errors, required, lastAt, published, dismissed } = item;
  return (
    <div className="inv-row" style={{ gridTemplateColumns: columns, height: ROW }}>
      <Link to={to} className="cover" data-row={row} aria-label={`${method} ${path}, ${KIND_WORDS[kind]}${dismissed ? ', dismissed' : ''}`} title={path} />
      <span />
      <span>
        <Method name={method} />
      </span>
      <span className="number">{requests === 0 ? '–' : count(requests)}</span>
      <span className={`number ${errors > 0 ? 'rust' : 'quiet'}`}>{errors === 0 ? '–' : count(errors)}</span>
      <span className="clip" title={cameWith(item)}>
        {cameWith(item) || <span className="quiet">–</span>}
      </span>
      <span className="clip" title={required}>
        {kind === 'undocumented' ? <b className="ochre">{dismissed ? 'dismissed' : 'review'}</b> : required}
        {published === 'draft' && <span className="ochre"> (draft)</span>}
      </span>
      <span className="clip quiet">{lastAt === null ? 'never' : <Ago at={lastAt} />}</span>
    </div>
  );
}

/** Whether something is learned, in words. */
function LearningWords({ api: { on, live, letsThrough, answers } }: { readonly api: InventoryApi }) {
  if (!on && !live) return <>Nothing is learned from its traffic.</>;
  if (!live) return <>It learns from traffic once this is published.</>;
  const from = { successful: 'successful answers', redirects: 'successful answers and redirects', all: 'all answers' }[answers];
  return (
    <>
      Learns from {from}
      {letsThrough ? '' : '; paths that no operation matches are refused, so none of them is seen'}.
    </>
  );
}
