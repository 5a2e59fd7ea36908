import { AUTHORIZER_BOUNDS } from '@virga/core';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { ProblemNotice } from '@virga/parts';
import { authorizerPath } from '../../client/places';
import { authorizersQuery } from './authorizer-queries';
import { onlyOne, RuleDialog, subjectWords, type RuleSubject } from './rule-dialog';

/** The authorizers that an API, or chosen operations of it, call. */
export function AuthorizerDialog(subject: RuleSubject) {
  const { api, operations } = subject;
  const { data, error } = useQuery(authorizersQuery);
  const [names, setNames] = useState<readonly string[] | null>(operations === null ? api.authorizers : (onlyOne(subject)?.authorizers ?? null));
  const list = names ?? [];
  const others = (data?.items ?? []).filter(({ name }) => !list.includes(name));
  return (
    <RuleDialog subject={subject} title={`Authorizers of ${subjectWords(subject)}`} patch={{ authorizers: names && [...names] }}>
      <ProblemNotice error={error} />
      {operations !== null && (
        <label className="check">
          <input type="checkbox" checked={names === null} onChange={(event) => setNames(event.target.checked ? null : [...api.authorizers])} /> as the API says:{' '}
          <span className="quiet">{api.authorizers.length === 0 ? 'none' : api.authorizers.join(', ')}</span>
        </label>
      )}
      {names !== null && (
        <>
          <p className="quiet" style={{ margin: 0 }}>
            {list.length === 0 ? 'None yet.' : 'All of them have to allow it, in this order, after conditions.'}
          </p>
          {list.map((name) => (
            <div key={name} className="row">
              <Link to={authorizerPath(name)}>{name}</Link>
              <button type="button" className="link small" aria-label={`Drop ${name}`} onClick={() => setNames(list.filter((other) => other !== name))}>
                drop
              </button>
            </div>
          ))}
          <div className="row wrap">
            {list.length < AUTHORIZER_BOUNDS.perRule &&
              others.map(({ name }) => (
                <button key={name} type="button" className="link" onClick={() => setNames([...list, name])}>
                  call {name}
                </button>
              ))}
            {data?.items.length === 0 && <Link to="/authorizers/new">make an authorizer</Link>}
          </div>
        </>
      )}
    </RuleDialog>
  );
}
