import type { MessageOverrideDto } from '@virga/protocol';
import { useState } from 'react';
import { MESSAGE_MEMBERS, MESSAGE_NAMES, MessageField, type MessageMember } from './message-fields';
import { onlyOne, RuleDialog, subjectWords, type RuleSubject } from './rule-dialog';

/** What chosen operations ask of bodies instead of their API. Members that are not ticked are the API's. */
export function MessageDialog(subject: RuleSubject) {
  const { api } = subject;
  const [rule, setRule] = useState<MessageOverrideDto>(() => onlyOne(subject)?.message ?? {});
  const flip = (member: MessageMember, own: boolean) => {
    const next = { ...rule };
    if (own) Object.assign(next, { [member]: api.message[member] });
    else delete next[member];
    setRule(next);
  };
  return (
    <RuleDialog subject={subject} title={`Bodies of ${subjectWords(subject)}`} patch={{ message: Object.keys(rule).length === 0 ? null : rule }}>
      <p className="quiet" style={{ margin: 0 }}>
        Tick what is to differ from the API; the rest stays as the API has it.
      </p>
      {MESSAGE_MEMBERS.map((member) => (
        <div key={member} className="stack" style={{ gap: 6 }}>
          <label className="check">
            <input type="checkbox" checked={rule[member] !== undefined} onChange={(event) => flip(member, event.target.checked)} /> {MESSAGE_NAMES[member]}
          </label>
          {rule[member] !== undefined && (
            <div style={{ paddingLeft: 24 }}>
              <MessageField member={member} id={`own-${member}`} rule={rule} set={(change) => setRule({ ...rule, ...change })} />
            </div>
          )}
        </div>
      ))}
    </RuleDialog>
  );
}
