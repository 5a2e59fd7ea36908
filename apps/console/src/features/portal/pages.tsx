import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { Ago, Confirm, ProblemNotice } from '@virga/parts';
import type { PageInput, PageView } from '@virga/protocol';
import { lazy, Suspense, useState } from 'react';
import { api } from '../../client/api';
import { DataTable } from '../../parts/data-table';
import { LeaveGuard } from '../../parts/leave-guard';
import { pagesQuery } from './queries';
import { usePortalChange } from './use-portal-change';

const Markdown = lazy(() => import('@virga/parts/markdown').then((m) => ({ default: m.Markdown })));
const EMPTY: PageInput = { title: '', text: '', seen: 'everybody', position: 10 };

/** Pages of the portal, in Markdown, with what readers will see beside it. */
export function Pages() {
  const { data, error } = useQuery(pagesQuery);
  const [open, setOpen] = useState<PageView | 'new' | null>(null);
  const [removing, setRemoving] = useState<PageView | null>(null);
  const remove = usePortalChange((slug: string) => api.remove(`/portal/pages/${slug}`), 'Taken away');
  if (open !== null) return <Editor key={open === 'new' ? '' : open.slug} page={open === 'new' ? null : open} onDone={() => setOpen(null)} />;
  return (
    <div className="stack">
      <div>
        <Button variant="contained" onClick={() => setOpen('new')}>
          Write a page
        </Button>
      </div>
      <ProblemNotice error={error ?? remove.error} />
      {data?.items.length === 0 && <div className="empty">There is no page yet. Pages stand beside the APIs: first steps, terms, whom to ask.</div>}
      {data && data.items.length > 0 && (
        <DataTable
          items={data.items}
          label="Pages"
          keyOf={({ slug }) => slug}
          columns={[
            {
              head: 'Title',
              className: 'breaks',
              cell: (page) => (
                <button className="link" onClick={() => setOpen(page)}>
                  <b>{page.title}</b>
                </button>
              ),
            },
            { head: 'Read by', cell: ({ seen }) => (seen === 'everybody' ? 'everybody' : 'who is signed in') },
            { head: 'Place', className: 'number', cell: ({ position }) => position },
            {
              head: 'Changed',
              cell: ({ changedAt, changedBy }) => (
                <>
                  <Ago at={changedAt} />, {changedBy}
                </>
              ),
            },
            {
              className: 'number',
              cell: (page) => (
                <button className="link rust" onClick={() => setRemoving(page)}>
                  take away
                </button>
              ),
            },
          ]}
        />
      )}
      {removing && (
        <Confirm
          title={`Take ${removing.title} away`}
          action="Take it away"
          onNo={() => setRemoving(null)}
          onYes={() => remove.mutate(removing.slug, { onSettled: () => setRemoving(null) })}
        >
          Its text is gone with it.
        </Confirm>
      )}
    </div>
  );
}

function Editor({ page, onDone }: { readonly page: PageView | null; readonly onDone: () => void }) {
  const [input, setInput] = useState<PageInput>(page ? { title: page.title, text: page.text, seen: page.seen, position: page.position } : EMPTY);
  const [touched, setTouched] = useState(false);
  const set = (change: Partial<PageInput>): void => {
    setTouched(true);
    setInput({ ...input, ...change });
  };
  const save = usePortalChange(
    () => (page ? api.put<PageView>(`/portal/pages/${page.slug}`, input) : api.post<PageView>('/portal/pages', input)),
    'In the portal at once',
    () => {
      setTouched(false);
      onDone();
    },
  );
  return (
    <form
      className="stack"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate(undefined);
      }}
    >
      <div className="row fields wrap">
        <div className="field">
          <label htmlFor="page-title">Title</label>
          <input id="page-title" maxLength={100} value={input.title} onChange={(event) => set({ title: event.target.value })} />
        </div>
        <div className="field" style={{ maxWidth: 200 }}>
          <label htmlFor="page-seen">Read by</label>
          <select id="page-seen" value={input.seen} onChange={(event) => set({ seen: event.target.value as PageInput['seen'] })}>
            <option value="everybody">everybody</option>
            <option value="signed-in">who is signed in</option>
          </select>
        </div>
        <div className="field" style={{ maxWidth: 120 }}>
          <label htmlFor="page-position">Place in the row</label>
          <input
            id="page-position"
            type="number"
            min={0}
            max={1000}
            value={input.position}
            onChange={(event) => set({ position: Math.round(Number(event.target.value)) })}
          />
        </div>
      </div>
      <div className="columns">
        <div className="field">
          <label htmlFor="page-text">Markdown</label>
          <textarea id="page-text" className="mono" rows={22} value={input.text} onChange={(event) => set({ text: event.target.value })} />
        </div>
        <div>
          <span className="quiet small">As it is read</span>
          <Suspense fallback={<p className="quiet">Opening…</p>}>
            <Markdown text={input.text} />
          </Suspense>
        </div>
      </div>
      <ProblemNotice error={save.error} />
      <div className="row">
        <Button type="submit" variant="contained" disabled={save.isPending || input.title.trim() === ''}>
          Put it in the portal
        </Button>
        <button type="button" className="link" onClick={onDone}>
          leave it
        </button>
      </div>
      <LeaveGuard when={touched} />
    </form>
  );
}
