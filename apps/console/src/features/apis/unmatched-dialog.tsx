import { MOST_UNMATCHED, UNMATCHED_MODES, type UnmatchedMode } from '@virga/core';
import type { UnmatchedDto } from '@virga/protocol';
import { useState } from 'react';
import { Link } from 'react-router';
import { withQuery } from '../../client/api';
import { RuleDialog, type RuleSubject } from './rule-dialog';

const WORDS: Readonly<Record<UnmatchedMode, string>> = {
  refuse: 'are refused',
  observe: 'pass, and are counted',
  pass: 'pass',
};

/** What becomes of requests to an API whose path no operation of it matches. */
export function UnmatchedDialog(subject: RuleSubject) {
  const { api } = subject;
  const [rules, setRules] = useState<readonly UnmatchedDto[]>(api.unmatched);
  const set = (index: number, change: Partial<UnmatchedDto>) => setRules(rules.map((rule, at) => (at === index ? { ...rule, ...change } : rule)));
  const wrong = (prefix: string): string | null => {
    if (!/^\/(?:\S*[^\s/])?$/.test(prefix)) return 'A prefix begins with a slash and does not end with one; / alone is every path';
    return rules.filter((rule) => rule.prefix === prefix).length > 1 ? 'This prefix stands twice' : null;
  };
  const bad = rules.some(({ prefix }) => wrong(prefix) !== null);
  return (
    <RuleDialog subject={subject} title={`Paths of ${api.name} that no operation matches`} patch={bad ? null : { unmatched: [...rules] }}>
      <p className="quiet" style={{ margin: 0 }}>
        They are refused with 404, unless something else is said for a prefix below <span className="mono">{api.basePath || '/'}</span>; the longest counts.
        What is let through has to meet what the API asks by default: who may call, from where, on what conditions. A path that a more lenient reader would take
        for one of an operation is refused whatever is said here, and so is another method on a path that is known.
      </p>
      {rules.map((rule, index) => (
        <div key={index}>
          <div className="row" style={{ gap: 8 }}>
            Below
            <input
              className="plain mono"
              style={{ width: 170 }}
              aria-label={`Prefix ${index + 1}`}
              value={rule.prefix}
              placeholder="/v0"
              onChange={(event) => set(index, { prefix: event.target.value })}
            />
            they
            <select
              className="plain grow"
              aria-label={`What becomes of paths below prefix ${index + 1}`}
              value={rule.mode}
              onChange={(event) => set(index, { mode: event.target.value as UnmatchedMode })}
            >
              {UNMATCHED_MODES.map((mode) => (
                <option key={mode} value={mode}>
                  {WORDS[mode]}
                </option>
              ))}
            </select>
            <button type="button" className="link" onClick={() => setRules(rules.filter((_, at) => at !== index))}>
              drop
            </button>
          </div>
          {wrong(rule.prefix) !== null && (
            <span className="error small" role="alert">
              {wrong(rule.prefix)}
            </span>
          )}
        </div>
      ))}
      <div className="row spread">
        <button type="button" className="link" disabled={rules.length >= MOST_UNMATCHED} onClick={() => setRules([...rules, { prefix: '', mode: 'observe' }])}>
          say something for a prefix
        </button>
        <Link to={withQuery('/traces', { api: api.id, code: 'route.no-operation' })}>requests that matched none</Link>
      </div>
    </RuleDialog>
  );
}
