import { Field } from '@virga/parts';
import type { MessageOverrideDto } from '@virga/protocol';
import { TextList } from '../../parts/text-list';

/** The members of a rule about bodies, in the order in which a request meets them. */
export const MESSAGE_MEMBERS = ['contentTypes', 'requestBytes', 'answerBytes'] as const;
export type MessageMember = (typeof MESSAGE_MEMBERS)[number];

export const MESSAGE_NAMES: Readonly<Record<MessageMember, string>> = {
  contentTypes: 'Content types of bodies',
  requestBytes: 'Largest body of a request, bytes',
  answerBytes: 'Largest answer, bytes',
};
const WORDS = { contentTypes: 'ANY_TYPE', requestBytes: 'ANY_SIZE', answerBytes: 'ANY_SIZE' } as const;
const LEFT: Readonly<Record<MessageMember, string>> = {
  contentTypes: 'of any type: the upstream decides',
  requestBytes: 'of any size: the upstream decides',
  answerBytes: 'of any size',
};
const HINTS: Readonly<Record<MessageMember, string>> = {
  contentTypes: 'Others are refused with 415 (RFC 9110 section 15.5.16). image/* stands for a family',
  requestBytes: 'Larger ones are refused with 413, before they are asked for where their length is said',
  answerBytes: 'Larger ones are refused with 502; what has begun already is cut off',
};
const FIRST = { contentTypes: ['application/json'], requestBytes: 1_048_576, answerBytes: 1_048_576 } as const;

/** The field of one member: a bound, or the word that leaves it out. */
export function MessageField({
  member,
  id,
  rule,
  set,
  error,
}: {
  readonly member: MessageMember;
  readonly id: string;
  readonly rule: MessageOverrideDto;
  readonly set: (change: MessageOverrideDto) => void;
  readonly error?: object | undefined;
}) {
  const value = rule[member];
  const left = value === undefined || value === WORDS[member];
  return (
    <div className="stack" style={{ gap: 6 }}>
      <Field id={id} label={MESSAGE_NAMES[member]} hint={left ? '' : HINTS[member]} error={error ?? ''}>
        {left ? null : typeof value === 'number' ? (
          <input id={id} type="number" min={0} value={Number.isNaN(value) ? '' : value} onChange={(event) => set({ [member]: event.target.valueAsNumber })} />
        ) : (
          <TextList id={id} value={Array.isArray(value) ? value : []} onChange={(types) => set({ contentTypes: types })} />
        )}
      </Field>
      <label className="check">
        <input
          type="checkbox"
          checked={left}
          onChange={(event) =>
            set({ [member]: event.target.checked ? WORDS[member] : typeof FIRST[member] === 'number' ? FIRST[member] : [...FIRST.contentTypes] })
          }
        />{' '}
        {LEFT[member]}
      </label>
    </div>
  );
}
