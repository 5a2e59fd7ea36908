import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Ago, ProblemNotice } from '@virga/parts';
import type { EditView } from '@virga/protocol';
import { useState } from 'react';
import { Link } from 'react-router';
import { api } from '../../client/api';
import { DataTable } from '../../parts/data-table';
import { Mark } from '../../parts/mark';
import { editsQuery } from './queries';

const SHOWN_WORDS = 3;

/**
 * The last edits of the draft and of clients: who, when, what. One of the draft can be taken back while nothing of it was
 * changed again; one of a client acted at once.
 */
export function EditList() {
  const { data } = useQuery(editsQuery);
  const client = useQueryClient();
  const takeBack = useMutation({ mutationFn: (number: number) => api.post(`/draft/edits/${number}/take-back`), onSettled: () => client.invalidateQueries() });
  if (!data || data.items.length === 0) return null;
  const taken = new Set(data.items.flatMap(({ takesBack }) => takesBack ?? []));
  return (
    <section>
      <h2>Edits</h2>
      {data.brokenAt !== null && (
        <p className="rust">
          <Mark kind="refused" word="the chain is broken" /> Edit {data.brokenAt}, or the one before it, is not as it was written: its hash does not follow.
        </p>
      )}
      <ProblemNotice error={takeBack.error} />
      <DataTable
        label="Edits, newest first"
        items={data.items}
        keyOf={({ number }) => number}
        rowClass={({ number }) => (taken.has(number) ? 'quiet' : '')}
        columns={[
          { className: 'number', cell: ({ number }) => number },
          { cell: (edit) => <What edit={edit} /> },
          {
            className: 'number',
            cell: (edit) => <TakeBack edit={edit} isTaken={taken.has(edit.number)} onTakeBack={() => takeBack.mutate(edit.number)} />,
          },
        ]}
      />
    </section>
  );
}

function What({ edit }: { readonly edit: EditView }) {
  const [all, setAll] = useState(false);
  const words = all ? edit.words : edit.words.slice(0, SHOWN_WORDS);
  return (
    <>
      {edit.takesBack !== null && <b>Took back edit {edit.takesBack}. </b>}
      {words.map((line) => (
        <div key={line} className="breaks">
          {line}
        </div>
      ))}
      {edit.words.length > words.length && (
        <button className="link small" onClick={() => setAll(true)}>
          and {edit.words.length - words.length} more
        </button>
      )}
      <div className="quiet small">
        <Ago at={edit.at} /> by {edit.by}
      </div>
    </>
  );
}

function TakeBack({ edit, isTaken, onTakeBack }: { readonly edit: EditView; readonly isTaken: boolean; readonly onTakeBack: () => void }) {
  if (isTaken) return 'taken back';
  if (edit.clientId !== null)
    return (
      <Link className="quiet whole" to={edit.clientId.startsWith('table ') ? `/tables?name=${edit.clientId.slice(6)}` : `/clients/${edit.clientId}`}>
        acted at once
      </Link>
    );
  return (
    <button className="link whole" onClick={onTakeBack} aria-label={`Take back edit ${edit.number}`}>
      take back
    </button>
  );
}
