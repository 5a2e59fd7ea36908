import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { Ago, ProblemNotice } from '@virga/parts';
import type { NoticeView } from '@virga/protocol';
import { useState } from 'react';
import { api } from '../../client/api';
import { DataTable } from '../../parts/data-table';
import { noticesQuery } from './queries';
import { usePortalChange } from './use-portal-change';

/** A local date and time of an input; null for an empty one. */
const timeOf = (text: string): number | null => (text === '' ? null : new Date(text).getTime());

/** What stands above every page of the portal for a while. */
export function Notices() {
  const { data, error } = useQuery(noticesQuery);
  const [text, setText] = useState('');
  const [tone, setTone] = useState<NoticeView['tone']>('news');
  const [from, setFrom] = useState('');
  const [until, setUntil] = useState('');
  const add = usePortalChange(
    () => api.post<NoticeView>('/portal/notices', { text, tone, fromAt: timeOf(from), untilAt: timeOf(until) }),
    'In the portal at once',
    () => setText(''),
  );
  const remove = usePortalChange((id: string) => api.remove(`/portal/notices/${id}`), 'Taken away');
  return (
    <div className="stack">
      <form
        className="stack"
        style={{ maxWidth: 760 }}
        onSubmit={(event) => {
          event.preventDefault();
          add.mutate(undefined);
        }}
      >
        <div className="field">
          <label htmlFor="notice-text">A notice, in Markdown</label>
          <textarea id="notice-text" rows={3} maxLength={2000} value={text} onChange={(event) => setText(event.target.value)} />
        </div>
        <div className="row fields wrap">
          <div className="field">
            <label htmlFor="notice-tone">Is</label>
            <select id="notice-tone" value={tone} onChange={(event) => setTone(event.target.value as NoticeView['tone'])}>
              <option value="news">news</option>
              <option value="warning">a warning</option>
            </select>
          </div>
          <div className="field">
            <label htmlFor="notice-from">From, or at once</label>
            <input id="notice-from" type="datetime-local" value={from} onChange={(event) => setFrom(event.target.value)} />
          </div>
          <div className="field">
            <label htmlFor="notice-until">Until, or until it is taken away</label>
            <input id="notice-until" type="datetime-local" value={until} onChange={(event) => setUntil(event.target.value)} />
          </div>
          <Button type="submit" variant="contained" disabled={text.trim() === '' || add.isPending}>
            Put it up
          </Button>
        </div>
      </form>
      <ProblemNotice error={error ?? add.error ?? remove.error} />
      {data && data.items.length > 0 && (
        <DataTable
          items={data.items}
          label="Notices"
          columns={[
            { head: 'Notice', className: 'breaks', cell: (one) => one.text },
            { head: 'Is', cell: (one) => (one.tone === 'news' ? 'news' : <span className="ochre">a warning</span>) },
            { head: 'From', cell: ({ fromAt }) => (fromAt === null ? <span className="quiet">at once</span> : <Ago at={fromAt} />) },
            { head: 'Until', cell: ({ untilAt }) => (untilAt === null ? <span className="quiet">it is taken away</span> : <Ago at={untilAt} />) },
            {
              className: 'number',
              cell: ({ id }) => (
                <button className="link rust" onClick={() => remove.mutate(id)}>
                  take away
                </button>
              ),
            },
          ]}
        />
      )}
    </div>
  );
}
