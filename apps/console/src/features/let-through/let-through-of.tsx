import { useQuery } from '@tanstack/react-query';
import { STEP_NAMES, type CallAnswer } from '@virga/core';
import { useState } from 'react';
import { ProblemNotice } from '@virga/parts';
import { LetThroughList, NotAllTried } from './let-through-list';
import { callQuery, type CallInput, type Which } from './queries';

/** Offers to decide a call again: what would let it through where it was refused, what holds it where it passed. */
export function LetThroughOf({
  which,
  call,
  code,
  note = '',
}: {
  readonly which: Which;
  readonly call: CallInput;
  readonly code: string | null;
  readonly note?: string;
}) {
  const [asked, setAsked] = useState<number | null>(null);
  const refused = code !== null;
  const { data, error, isFetching } = useQuery(callQuery(which, call, asked));
  return (
    <section className="stack" style={{ gap: 6 }}>
      {asked === null ? (
        <div>
          <button className="link" onClick={() => setAsked(Date.now())}>
            {refused ? 'What would let it through?' : 'What holds it?'}
          </button>
        </div>
      ) : (
        <h2 style={{ margin: 0 }}>{refused ? 'What would let it through' : 'What it is let in by'}</h2>
      )}
      {isFetching && <p className="quiet">Deciding again…</p>}
      <ProblemNotice error={error} />
      {data !== undefined && <Answer answer={data} code={code} note={note} />}
    </section>
  );
}

function Answer({ answer, code, note }: { readonly answer: CallAnswer | null; readonly code: string | null; readonly note: string }) {
  if (answer === null) return <p className="quiet">No operation answers to this method and path, whoever calls.</p>;
  const other = code !== null && answer.outcome === 'refused' && answer.code !== code;
  return (
    <div aria-live="polite" className="stack" style={{ gap: 6 }}>
      {answer.outcome === 'passed' && code !== null && (
        <p className="quiet">
          Decided again it passes{answer.hangsOn.length > 0 ? `, where nothing is said against it by ${answer.hangsOn.join(', ')}` : ''}: what it was refused
          for is over, or was of its credential.
        </p>
      )}
      {answer.outcome === 'refused' && answer.letThrough.length === 0 && !answer.cut && (
        <p className="quiet">Nothing that the rules, clients and tables name would: no single change, and none of them together.</p>
      )}
      {answer.letThrough.length > 0 && <LetThroughList ways={answer.letThrough} />}
      {answer.cut && <NotAllTried found={answer.letThrough.length} />}
      {answer.outcome === 'passed' && <Held answer={answer} />}
      {(other || note !== '') && (
        <p className="quiet small">
          {other && 'It is decided here without the credential that was sent, of which nothing is kept that could be decided. '}
          {note}
        </p>
      )}
    </div>
  );
}

function Held({ answer: { held } }: { readonly answer: CallAnswer }) {
  if (held.length === 0)
    return <p className="quiet">Nothing of it alone: without any one of its credentials, rights and its address it passes all the same.</p>;
  return (
    <ul className="plain-list">
      {held.map(({ without, step }) => (
        <li key={without}>
          Without {without} it is refused at {STEP_NAMES[step]}
        </li>
      ))}
    </ul>
  );
}
