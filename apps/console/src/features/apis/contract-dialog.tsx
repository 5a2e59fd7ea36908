import {
  ANSWER_PARTS,
  CONTRACT_BODY_BYTES,
  CONTRACT_MODES,
  CONTRACT_PARTS,
  partWords,
  type ContractMode,
  type ContractPart,
  type ContractRule,
} from '@virga/core';
import { useQuery } from '@tanstack/react-query';
import { count, Field } from '@virga/parts';
import type { ContractPartCount, ContractRuleDto } from '@virga/protocol';
import { useState } from 'react';
import { Link } from 'react-router';
import { conformanceQuery } from '../../client/conformance';
import { MODE_WORDS } from '../../client/contract-parts';
import { onlyOne, RuleDialog, subjectWords, type RuleSubject } from './rule-dialog';

const REQUEST_PARTS = CONTRACT_PARTS.filter((part) => !ANSWER_PARTS.has(part));
const PARTS_OF_ANSWER = CONTRACT_PARTS.filter((part) => ANSWER_PARTS.has(part));

/** Says what of the contract is held against requests and answers: for the API, or for chosen operations. With what enforcing would have refused. */
export function ContractDialog(subject: RuleSubject) {
  const { api, operations } = subject;
  const [rule, setRule] = useState<ContractRuleDto>(() => (operations === null ? api.contract : (onlyOne(subject)?.contract ?? {})));
  const { data } = useQuery({ ...conformanceQuery, enabled: operations === null });
  const counts = new Map(data?.items.find(({ apiId }) => apiId === api.id)?.parts.map((one) => [one.part, one]));
  const own = operations !== null;
  const modeOf = (part: ContractPart): ContractMode | undefined => rule.parts?.[part];
  const set = (part: ContractPart, mode: ContractMode | undefined) => {
    const parts = { ...rule.parts };
    if (mode === undefined) delete parts[part];
    else parts[part] = mode;
    setRule({ ...rule, parts });
  };
  const setAll = (parts: readonly ContractPart[], mode: ContractMode) =>
    setRule({ ...rule, parts: { ...rule.parts, ...Object.fromEntries(parts.map((part) => [part, mode])) } });
  const nothing = own && Object.keys(rule).filter((name) => name !== 'parts').length === 0 && Object.keys(rule.parts ?? {}).length === 0;
  const bytes = rule.bodyBytes;
  const wrongBytes = bytes !== undefined && (!Number.isInteger(bytes) || bytes < CONTRACT_BODY_BYTES[0] || bytes > CONTRACT_BODY_BYTES[1]);
  return (
    <RuleDialog
      subject={subject}
      width="md"
      title={`What of the contract is checked: ${subjectWords(subject)}`}
      patch={wrongBytes ? null : { contract: nothing ? null : rule }}
    >
      {api.modes.all === 'observe' && (
        <p className="notice" style={{ margin: 0 }}>
          Everything of this API only observes. So does the contract, until that is changed under “modes”.
        </p>
      )}
      <div className="row wrap small">
        Set at once:
        <button type="button" className="link" onClick={() => setAll(CONTRACT_PARTS, 'observe')}>
          observe everything
        </button>
        <button type="button" className="link" onClick={() => setAll(REQUEST_PARTS, 'enforce')}>
          refuse requests that differ
        </button>
        <button type="button" className="link" onClick={() => setAll(PARTS_OF_ANSWER, 'enforce')}>
          withhold answers that differ
        </button>
        <button type="button" className="link" onClick={() => setAll(CONTRACT_PARTS, 'off')}>
          look at nothing
        </button>
      </div>
      <table className="list" aria-label="Parts of the contract">
        <thead>
          <tr>
            <th>Held against the contract</th>
            {own && <th className="centre">as the API</th>}
            {CONTRACT_MODES.map((mode) => (
              <th key={mode} className="centre">
                {MODE_WORDS[mode]}
              </th>
            ))}
            {!own && <th>last 24 hours</th>}
          </tr>
        </thead>
        <tbody>
          {CONTRACT_PARTS.map((part) => (
            <tr key={part}>
              <td>
                {partWords(part)}
                {part === 'contract-answer' && <div className="quiet small">held until it was looked into; what differs is 502 and does not leave</div>}
              </td>
              {own && (
                <td className="centre">
                  <input
                    type="radio"
                    name={part}
                    aria-label={`${partWords(part)}, as the API says`}
                    checked={modeOf(part) === undefined}
                    onChange={() => set(part, undefined)}
                  />
                </td>
              )}
              {CONTRACT_MODES.map((mode) => (
                <td key={mode} className="centre">
                  <input
                    type="radio"
                    name={part}
                    aria-label={`${partWords(part)}, ${MODE_WORDS[mode]}`}
                    checked={modeOf(part) === mode}
                    onChange={() => set(part, mode)}
                  />
                </td>
              ))}
              {!own && (
                <td className="small">
                  <Counted of={counts.get(part)} api={api.id} />
                </td>
              )}
            </tr>
          ))}
        </tbody>
      </table>
      <Choices rule={rule} own={own} base={api.contract} wrongBytes={wrongBytes} onChange={setRule} />
    </RuleDialog>
  );
}

function Counted({ of, api }: { readonly of: ContractPartCount | undefined; readonly api: string }) {
  if (!of || of.looked === 0) return <span className="quiet">not looked at</span>;
  const { part, looked, refused, wouldRefuse } = of;
  const words = `of ${count(looked)} ${ANSWER_PARTS.has(part) ? 'answers' : 'requests'}`;
  if (refused + wouldRefuse === 0) return <span className="quiet">{words} none differed</span>;
  return (
    <Link to={`/contract?api=${api}&part=${part}`} className={wouldRefuse > 0 ? 'ochre' : 'rust'}>
      {wouldRefuse > 0 ? `would have refused ${count(wouldRefuse)} ${words}` : `refused ${count(refused)} ${words}`}
    </Link>
  );
}

/** Words for what can be chosen beside the modes, and what is usual. */
const CHOICES = [
  { member: 'unknownQuery', says: 'Query parameters that the contract does not name', words: { refuse: 'differ', allow: 'pass' } },
  { member: 'unknownMembers', says: 'Members of bodies that no schema names', words: { 'as-said': 'as the schemas say', refuse: 'differ' } },
  { member: 'readOnlySent', says: 'Members that are read only, in a request', words: { refuse: 'differ', allow: 'pass' } },
  { member: 'largerBody', says: 'Bodies larger than what is held', words: { refuse: 'differ', pass: 'pass unchecked' } },
] as const;

function Choices({
  rule,
  own,
  base,
  wrongBytes,
  onChange,
}: {
  readonly rule: ContractRuleDto;
  readonly own: boolean;
  readonly base: ContractRuleDto;
  readonly wrongBytes: boolean;
  readonly onChange: (rule: ContractRuleDto) => void;
}) {
  const set = <Member extends keyof ContractRule>(member: Member, value: ContractRuleDto[Member] | undefined) => {
    const next = { ...rule };
    if (value === undefined) delete next[member];
    else Object.assign(next, { [member]: value });
    onChange(next);
  };
  return (
    <div className="columns" style={{ gap: 12 }}>
      {CHOICES.map(({ member, says, words }) => (
        <Field key={member} id={`contract-${member}`} label={says}>
          <select
            id={`contract-${member}`}
            className="plain"
            value={rule[member] ?? ''}
            onChange={(event) => set(member, (event.target.value || undefined) as never)}
          >
            {own && <option value="">as the API says</option>}
            {Object.entries(words).map(([value, word]) => (
              <option key={value} value={value}>
                {word}
              </option>
            ))}
          </select>
        </Field>
      ))}
      <Field id="contract-formats" label="Formats: dates, addresses, numbers of so many bits">
        <select
          id="contract-formats"
          className="plain"
          value={rule.formats === undefined ? '' : String(rule.formats)}
          onChange={(event) => set('formats', event.target.value === '' ? undefined : event.target.value === 'true')}
        >
          {own && <option value="">as the API says</option>}
          <option value="true">are checked</option>
          <option value="false">are left alone</option>
        </select>
      </Field>
      <Field
        id="contract-bytes"
        label="Bytes of a body that are held"
        hint="Of requests that are refused, and answers that are withheld, where they differ"
        {...(wrongBytes ? { error: `A whole number from ${count(CONTRACT_BODY_BYTES[0])} to ${count(CONTRACT_BODY_BYTES[1])}` } : {})}
      >
        <input
          id="contract-bytes"
          className="plain"
          inputMode="numeric"
          placeholder={own ? `${base.bodyBytes ?? ''}, as the API says` : ''}
          value={rule.bodyBytes === undefined || Number.isNaN(rule.bodyBytes) ? '' : String(rule.bodyBytes)}
          onChange={(event) => set('bodyBytes', event.target.value.trim() === '' ? (own ? undefined : Number.NaN) : Number(event.target.value))}
        />
      </Field>
    </div>
  );
}
