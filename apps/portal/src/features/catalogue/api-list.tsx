import { useQuery } from '@tanstack/react-query';
import { Ago, listKeys, ProblemNotice } from '@virga/parts';
import { useState } from 'react';
import { Link } from 'react-router';
import { useSite } from '../../client/site';
import { Markdown } from '@virga/parts/markdown';
import { apisQuery } from './queries';

/** What there is to be called. */
export function ApiList() {
  const { welcome, session, registration, contact } = useSite();
  const { data, error } = useQuery(apisQuery);
  const [text, setText] = useState('');
  const wanted = text.trim().toLowerCase();
  const items = (data?.items ?? []).filter(({ name, description }) => wanted === '' || `${name} ${description}`.toLowerCase().includes(wanted));
  return (
    <div className="stack" style={{ gap: 22 }}>
      {welcome !== '' && <Markdown text={welcome} />}
      <div className="row spread wrap">
        <h1>APIs</h1>
        {(data?.items.length ?? 0) > 6 && (
          <div className="field" style={{ width: 240 }}>
            <label htmlFor="find">Find by name or words</label>
            <input id="find" type="search" value={text} onChange={(event) => setText(event.target.value)} />
          </div>
        )}
      </div>
      <ProblemNotice error={error} />
      {data && items.length === 0 && (
        <div className="empty">
          {wanted === '' ? 'There is nothing here that you may see.' : `Nothing has “${text}” in it.`}{' '}
          {!session && (
            <>
              <Link to="/sign-in">Sign in</Link>
              {registration === 'closed' ? ' to see more.' : ', or '}
              {registration !== 'closed' && <Link to="/register">make an account</Link>}
            </>
          )}
          {contact !== '' && <p className="quiet">Ask {contact}.</p>}
        </div>
      )}
      <div onKeyDown={listKeys}>
        {items.map(({ id, name, version, description, operations, changedAt }, index) => (
          <section key={id} className="api-entry">
            <h2>
              <Link to={`/apis/${id}`} className="row-link breaks" data-row={index}>
                {name}
              </Link>{' '}
              <span className="quiet small">{version}</span>
            </h2>
            <span className="quiet small">
              {operations} {operations === 1 ? 'operation' : 'operations'}
              {changedAt !== null && (
                <>
                  , changed <Ago at={changedAt} />
                </>
              )}
            </span>
            {description !== '' && <div className="prose">{description}</div>}
          </section>
        ))}
      </div>
    </div>
  );
}
