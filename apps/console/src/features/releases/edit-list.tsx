import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { EditView } from '@virga/protocol';
import { useState } from 'react';
import { Link } from 'react-router';
import { api } from '../../client/api';
import { Mark } from '../../parts/mark';
import { ProblemNotice } from '../../parts/problem-notice';
import { Ago } from '../../parts/time';
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
      <table className="list" aria-label="Edits, newest first">
        <tbody>
          {data.items.map((edit) => (
            <Row key={edit.number} edit={edit} isTaken={taken.has(edit.number)} onTakeBack={() => takeBack.mutate(edit.number)} />
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Row({ edit, isTaken, onTakeBack }: { readonly edit: EditView; readonly isTaken: boolean; readonly onTakeBack: () => void }) {
  const [all, setAll] = useState(false);
  const words = all ? edit.words : edit.words.slice(0, SHOWN_WORDS);
  return (
    <tr className={isTaken ? 'quiet' : ''}>
      <td className="number">{edit.number}</td>
      <td>
        {edit.takesBack !== null && <b>Took back edit {edit.takesBack}. </b>}
        {words.map((line) => (
          <div key={line} style={{ overflowWrap: 'anywhere' }}>
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
      </td>
      <td style={{ textAlign: 'right', whiteSpace: 'nowrap' }}>
        {isTaken && 'taken back'}
        {edit.clientId !== null && (
          <Link className="quiet" to={`/clients/${edit.clientId}`}>
            acted at once
          </Link>
        )}
        {!isTaken && edit.clientId === null && (
          <button className="link" onClick={onTakeBack} aria-label={`Take back edit ${edit.number}`}>
            take back
          </button>
        )}
      </td>
    </tr>
  );
}
