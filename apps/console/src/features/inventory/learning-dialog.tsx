import { LEARNED_ANSWERS, type LearnedAnswers } from '@virga/core';
import { useState } from 'react';
import { Link } from 'react-router';
import { RuleDialog, type RuleSubject } from '../apis/rule-dialog';

const WORDS: Readonly<Record<LearnedAnswers, string>> = {
  successful: 'successful answers only',
  redirects: 'successful answers and redirects',
  all: 'all answers, errors too',
};

/** Whether an API learns from its traffic, and from which answers. */
export function LearningDialog(subject: RuleSubject) {
  const { api } = subject;
  const [rule, setRule] = useState(api.learning);
  return (
    <RuleDialog subject={subject} title={`What is learned from the traffic of ${api.name}`} patch={{ learning: rule }}>
      <label className="check">
        <input type="checkbox" checked={rule.on} onChange={(event) => setRule({ ...rule, on: event.target.checked })} />
        <span>
          Learn from its traffic
          <span className="hint quiet small" style={{ display: 'block' }}>
            Answered requests are looked into in a thread of their own: paths, parameters, and how bodies are built. Forms of a few values are kept, masked; no
            value is. When too many come, some are passed over and counted; no request waits.
          </span>
        </span>
      </label>
      <div className="field">
        <label htmlFor="learned-answers">From</label>
        <select
          id="learned-answers"
          disabled={!rule.on}
          value={rule.answers}
          onChange={(event) => setRule({ ...rule, answers: event.target.value as LearnedAnswers })}
        >
          {LEARNED_ANSWERS.map((one) => (
            <option key={one} value={one}>
              {WORDS[one]}
            </option>
          ))}
        </select>
        <span className="hint">Whoever probes for paths gets errors, so nothing is learned from those unless it is asked for.</span>
      </div>
      {!api.unmatched.some(({ mode }) => mode !== 'refuse') && (
        <p className="quiet small">
          Paths that no operation matches are refused and never reach the upstream, so none of them is learned. Under{' '}
          <Link to={`/apis/${api.id}/contract`}>Contract</Link>, “paths without an operation” lets some through, observed.
        </p>
      )}
    </RuleDialog>
  );
}
