import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useSearchParams } from 'react-router';
import { count } from '@virga/parts';
import { useStanding } from '../../client/standing';
import { Mark } from '../../parts/mark';
import { FallChart } from './fall-chart';
import { FallTable } from './fall-table';
import { attentionQuery, fallQuery } from './queries';
import { STREAKS } from './streaks';

const SPANS = [
  { minutes: 60, word: '1 h', said: 'last 60 minutes' },
  { minutes: 360, word: '6 h', said: 'last 6 hours' },
  { minutes: 1440, word: '24 h', said: 'last 24 hours' },
  { minutes: 10_080, word: '7 d', said: 'last 7 days' },
] as const;

/** The first screen: what is happening, what needs attention, draft against live. */
export function Overlook() {
  const [query, setQuery] = useSearchParams();
  const span = SPANS.find((item) => String(item.minutes) === query.get('minutes')) ?? SPANS[0];
  const { data: fall } = useQuery(fallQuery(span.minutes));
  const [table, setTable] = useState(false);
  const { data: standing } = useStanding();
  if (standing && !standing.live && standing.apiCount === 0) return <FirstSteps />;
  return (
    <>
      <div className="page-head" style={{ marginBottom: 6 }}>
        <h1>Overlook</h1>
        {fall && (
          <span className="quiet">
            all APIs, {span.said}, {count(fall.total)} requests
            {fall.total > STREAKS && !table ? `; each streak is about ${Math.ceil(fall.total / STREAKS)}` : ''}
          </span>
        )}
        <span className="after small">
          {SPANS.map((item) => (
            <button
              key={item.minutes}
              className="link"
              aria-pressed={item === span}
              style={item === span ? { fontWeight: 700, textDecoration: 'none' } : {}}
              onClick={() => setQuery(item === SPANS[0] ? {} : { minutes: String(item.minutes) })}
            >
              {item.word}
            </button>
          ))}
          <button className="link" onClick={() => setTable(!table)}>
            {table ? 'as a picture' : 'as a table'}
          </button>
        </span>
      </div>
      <div className="overlook">
        <div>{fall && (table ? <FallTable fall={fall} /> : <FallChart fall={fall} />)}</div>
        <aside className="stack" style={{ gap: 24 }}>
          <Attention />
          <NotPublished />
        </aside>
      </div>
    </>
  );
}

function Attention() {
  const { data } = useQuery(attentionQuery);
  return (
    <section>
      <h2>Needs attention</h2>
      {data?.items.length === 0 && <p className="quiet">Nothing. Every live operation has a rule, and every provider answers.</p>}
      <ul className="attention">
        {data?.items.map((item) => (
          <li key={`${item.title}\n${item.detail}`}>
            <Mark kind={item.mark} />
            <div>
              <Link to={item.link}>{item.title}</Link>
              <div className="quiet small">{item.detail}</div>
            </div>
          </li>
        ))}
      </ul>
    </section>
  );
}

function NotPublished() {
  const { data: standing } = useStanding();
  if (!standing) return null;
  return (
    <section>
      <h2>Not published</h2>
      {standing.changeCount === 0 && <p className="quiet">{standing.live ? 'The draft is the same as what is live.' : 'The draft is empty.'}</p>}
      {standing.changes.slice(0, 5).map((change, index) => (
        <div key={index} style={{ padding: '7px 0', borderBottom: '1px solid var(--hairline)' }}>
          <Link to="/releases">
            <b>{change.subject}</b>
          </Link>
          <div className="quiet small">{change.detail}</div>
        </div>
      ))}
      {standing.changeCount > 5 && (
        <p className="small">
          <Link to="/releases">and {standing.changeCount - 5} more</Link>
        </p>
      )}
    </section>
  );
}

function FirstSteps() {
  return (
    <div className="empty">
      <h1>Nothing flows yet</h1>
      <p>Here the requests of the last hour will fall through your checks, and whatever needs attention will stand beside them. The way there:</p>
      <ol style={{ lineHeight: 2 }}>
        <li>
          <Link to="/apis/new">Bring an API in</Link> from its OpenAPI description, and point it at its upstream
        </li>
        <li>
          <Link to="/providers/new">Trust an identity provider</Link> by its issuer address
        </li>
        <li>Say who may call what, in the API’s table of operations</li>
        <li>Publish with the button at the top, and call through the gateway or from the probe (key `)</li>
      </ol>
    </div>
  );
}
