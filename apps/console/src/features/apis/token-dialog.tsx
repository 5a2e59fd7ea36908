import type { TokenOverrideDto } from '@virga/protocol';
import { useState } from 'react';
import { MEMBER_NAMES, TOKEN_MEMBERS, TokenField, type TokenMember } from './token-fields';
import { onlyOne, RuleDialog, subjectWords, type RuleSubject } from './rule-dialog';

/** Members that are set together, because one says nothing without the other. */
const TOGETHER: Readonly<Partial<Record<TokenMember, readonly (keyof TokenOverrideDto)[]>>> = {
  audiences: ['audiences', 'anyAudience'],
  dpop: ['dpop', 'dpopNonce'],
};
const partsOf = (member: TokenMember): readonly (keyof TokenOverrideDto)[] => TOGETHER[member] ?? [member];

/** What chosen operations ask of tokens instead of their API. Members that are not ticked are the API's. */
export function TokenDialog(subject: RuleSubject) {
  const { api } = subject;
  const [rule, setRule] = useState<TokenOverrideDto>(() => onlyOne(subject)?.token ?? {});
  const flip = (member: TokenMember, own: boolean) => {
    const next = { ...rule };
    for (const part of partsOf(member)) {
      if (own) Object.assign(next, { [part]: api.token[part] ?? (part === 'stepUp' ? { acrValues: [], maxAgeSeconds: 900 } : null) });
      else delete next[part];
    }
    setRule(next);
  };
  return (
    <RuleDialog subject={subject} title={`Tokens of ${subjectWords(subject)}`} width="md" patch={{ token: Object.keys(rule).length === 0 ? null : rule }}>
      <p className="quiet" style={{ margin: 0 }}>
        Tick what is to differ from the API; the rest stays as the API has it.
      </p>
      {TOKEN_MEMBERS.map((member) => {
        const own = partsOf(member).some((part) => rule[part] !== undefined);
        return (
          <div key={member} className="stack" style={{ gap: 6 }}>
            <label className="check">
              <input type="checkbox" checked={own} onChange={(event) => flip(member, event.target.checked)} /> {MEMBER_NAMES[member]}
            </label>
            {own && (
              <div style={{ paddingLeft: 24 }} className="stack">
                <TokenField member={member} id={`own-${member}`} rule={rule} set={(change) => setRule({ ...rule, ...change })} />
              </div>
            )}
          </div>
        );
      })}
    </RuleDialog>
  );
}
