import { Ago, Call, count } from '@virga/parts';
import type { InventoryItem } from '@virga/protocol';
import { LongTable } from '../../parts/data-table';
import { cameWith } from './inventory-tree';
import { KIND_WORDS, KindMark } from './kind-mark';

/** Many operations, of which only those in sight are in the page. */
export function InventoryList({
  items,
  to,
}: {
  readonly items: readonly (InventoryItem & { readonly id: string })[];
  readonly to: (item: InventoryItem) => string;
}) {
  return (
    <LongTable
      items={items}
      label="Operations"
      to={to}
      name={({ method, path, kind }) => `${method} ${path}, ${KIND_WORDS[kind]}`}
      height={(all) => `min(${all}px, calc(100vh - 240px))`}
      columns={[
        { width: '24px', cell: ({ kind }) => <KindMark kind={kind} /> },
        {
          head: 'operation',
          width: 'minmax(0, 3fr)',
          className: 'clip',
          cell: ({ method, basePath, path }) => <Call method={method} path={basePath + path} />,
        },
        { head: 'requests', width: '70px', className: 'number', cell: ({ requests }) => (requests === 0 ? '–' : count(requests)) },
        { head: 'errors', width: '60px', className: 'number', cell: ({ errors }) => (errors === 0 ? '–' : count(errors)) },
        { head: 'came with', width: 'minmax(0, 1fr)', className: 'clip', cell: (item) => cameWith(item) || '–' },
        { head: 'asks for', width: 'minmax(0, 1.4fr)', className: 'clip', cell: ({ required, kind }) => (kind === 'undocumented' ? 'review' : required) },
        { head: 'last seen', width: '90px', cell: ({ lastAt }) => (lastAt === null ? 'never' : <Ago at={lastAt} />) },
      ]}
    />
  );
}
