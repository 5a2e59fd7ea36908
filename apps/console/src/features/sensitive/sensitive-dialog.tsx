import { CONTRACT_BODY_BYTES, DETECTOR_GROUPS, type DetectorGroup } from '@virga/core';
import { count, Field } from '@virga/parts';
import type { DetectorView, SensitiveRuleDto, SensitiveUseDto, SensitiveView } from '@virga/protocol';
import { useState } from 'react';
import { RuleDialog, type RuleSubject } from '../apis/rule-dialog';
import { isAnswer, isEnforced } from './words';

const GROUP_WORDS: Readonly<Record<DetectorGroup, string>> = {
  contact: 'How people are reached',
  payment: 'Money',
  credential: 'Credentials',
  network: 'Network',
  identity: 'National identifiers',
  own: 'Your own',
};

/** What sensitive data an API is looked through for, and what becomes of it. */
export function SensitiveDialog({ subject, view }: { readonly subject: RuleSubject; readonly view: SensitiveView }) {
  const { api } = subject;
  const [rule, setRule] = useState<SensitiveRuleDto>(api.sensitive);
  const detectors: readonly DetectorView[] = [
    ...view.detectors,
    ...view.own.map(({ id, name, pattern }) => ({ id, name, group: 'own' as const, verifies: `the pattern ${pattern}` })),
  ];
  const ofDetector = (id: string): SensitiveUseDto => rule.uses.find(({ detector }) => detector === id) ?? { detector: id, request: null, answer: null };
  const set = (id: string, change: Partial<SensitiveUseDto>): void => {
    const next = { ...ofDetector(id), ...change };
    const others = rule.uses.filter(({ detector }) => detector !== id);
    setRule({ ...rule, uses: next.request === null && next.answer === null ? others : [...others, next] });
  };
  const found = (id: string, answers: boolean): number =>
    view.items
      .filter((item) => item.apiId === api.id && item.detector === id && isAnswer(item.side) === answers)
      .reduce((sum, { messages }) => sum + messages, 0);
  const enforced = rule.uses.some(isEnforced);
  const wrongBytes = !Number.isInteger(rule.bodyBytes) || rule.bodyBytes < CONTRACT_BODY_BYTES[0] || rule.bodyBytes > CONTRACT_BODY_BYTES[1];
  return (
    <RuleDialog subject={subject} width="md" title={`What ${api.name} is looked through for`} patch={wrongBytes ? null : { sensitive: rule }}>
      {api.modes.all === 'observe' && (
        <p className="notice">Everything of this API only observes: nothing is masked or refused until that is changed under “modes”.</p>
      )}
      <p className="quiet small">
        What is told of is found beside the request’s way and keeps nobody waiting. To mask or refuse, bodies are held until they were looked into; what cannot
        be read is refused then.
      </p>
      <table className="list dense" aria-label="Kinds of sensitive data">
        <thead>
          <tr>
            <th>kind</th>
            <th>in requests</th>
            <th className="number">found</th>
            <th>in answers</th>
            <th className="number">found</th>
          </tr>
        </thead>
        <tbody>
          {DETECTOR_GROUPS.flatMap((group) => {
            const own = detectors.filter((one) => one.group === group);
            if (own.length === 0) return [];
            return [
              <tr key={group}>
                <td colSpan={5} className="quiet small" style={{ paddingTop: 10 }}>
                  {GROUP_WORDS[group]}
                </td>
              </tr>,
              ...own.map(({ id, name, verifies }) => (
                <tr key={id}>
                  <td title={verifies}>
                    {name}
                    <div className="quiet small clip" style={{ maxWidth: 360 }}>
                      {verifies}
                    </div>
                  </td>
                  <td>
                    <select
                      className="plain"
                      style={{ width: 118 }}
                      aria-label={`${name} in requests`}
                      value={ofDetector(id).request ?? ''}
                      onChange={(event) => set(id, { request: (event.target.value || null) as SensitiveUseDto['request'] })}
                    >
                      <option value="">not looked for</option>
                      <option value="tell">told of</option>
                      <option value="refuse">refused</option>
                    </select>
                  </td>
                  <td className="number">{found(id, false) === 0 ? '' : count(found(id, false))}</td>
                  <td>
                    <select
                      className="plain"
                      style={{ width: 118 }}
                      aria-label={`${name} in answers`}
                      value={ofDetector(id).answer ?? ''}
                      onChange={(event) => set(id, { answer: (event.target.value || null) as SensitiveUseDto['answer'] })}
                    >
                      <option value="">not looked for</option>
                      <option value="tell">told of</option>
                      <option value="mask">masked</option>
                      <option value="refuse">refused</option>
                    </select>
                  </td>
                  <td className="number">{found(id, true) === 0 ? '' : count(found(id, true))}</td>
                </tr>
              )),
            ];
          })}
        </tbody>
      </table>
      {enforced && (
        <div className="row fields">
          <Field id="held-bytes" label="Bytes of a body that are held" error={wrongBytes ? `${CONTRACT_BODY_BYTES[0]} to ${CONTRACT_BODY_BYTES[1]}` : ''}>
            <input
              id="held-bytes"
              type="number"
              value={Number.isNaN(rule.bodyBytes) ? '' : rule.bodyBytes}
              onChange={(event) => setRule({ ...rule, bodyBytes: event.target.valueAsNumber })}
            />
          </Field>
          <Field id="larger-body" label="A larger one">
            <select
              id="larger-body"
              value={rule.largerBody}
              onChange={(event) => setRule({ ...rule, largerBody: event.target.value as SensitiveRuleDto['largerBody'] })}
            >
              <option value="refuse">is refused</option>
              <option value="pass">passes without being looked into</option>
            </select>
          </Field>
        </div>
      )}
    </RuleDialog>
  );
}
