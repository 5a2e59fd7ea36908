import { checkAddresses, compileAddresses, describeAddresses, entryOf, reviewAddresses, type AddressRule } from '@virga/core';
import { Field } from '@virga/parts';
import { addressRuleOf, type AddressesView, type AddressRuleDto } from '@virga/protocol';
import { Mark } from '../../parts/mark';
import { TextList } from '../../parts/text-list';

const KINDS: readonly { readonly kind: AddressRule['kind']; readonly words: string }[] = [
  { kind: 'anywhere', words: 'everyone may call' },
  { kind: 'only', words: 'only these may call' },
  { kind: 'except', words: 'everyone may call, except these' },
];

/** Room for what stands there and one more line. */
export const rowsFor = (entries: readonly string[]): number => Math.min(8, Math.max(2, entries.length + 1));

/** What cannot be used of a rule, in the words of the check that publishing makes; empty where nothing is wrong. */
export function wrongIn(rule: AddressRule, networks: AddressesView['networks']): string {
  try {
    checkAddresses(rule, new Set(networks.map(({ name }) => name)), '');
    return '';
  } catch (error) {
    return (error as Error).message;
  }
}

/** One rule about addresses: who may call, what that says as a sentence, what of it does nothing, and whether one shuts oneself out. */
export function AddressRuleEditor({
  id,
  rule,
  onChange,
  addresses,
  fenced,
  error,
}: {
  readonly id: string;
  readonly rule: AddressRuleDto;
  readonly onChange: (rule: AddressRuleDto) => void;
  readonly addresses: AddressesView;
  /** Whether the gateway's fence stands before it. */
  readonly fenced: boolean;
  readonly error?: object | undefined;
}) {
  const entries = rule.of ?? [];
  const set = (of: string[]) => onChange({ kind: rule.kind, of });
  return (
    <div className="stack" style={{ gap: 8 }}>
      <div role="radiogroup" aria-label="Who may call" className="stack" style={{ gap: 4 }}>
        {KINDS.map(({ kind, words }) => (
          <label key={kind} className="check">
            <input type="radio" name={id} checked={rule.kind === kind} onChange={() => onChange(kind === 'anywhere' ? { kind } : { kind, of: entries })} />{' '}
            {words}
          </label>
        ))}
      </div>
      {rule.kind !== 'anywhere' && (
        <>
          <Field
            id={`${id}-of`}
            label="Addresses, networks and names of networks, one a line"
            hint="as 192.0.2.7, 192.0.2.0/24 or 2001:db8::/32"
            error={error ?? ''}
          >
            <TextList id={`${id}-of`} rows={rowsFor(entries)} separator={/[\n,]+/} value={entries} onChange={set} />
          </Field>
          <div className="row wrap small">
            {addresses.networks
              .filter(({ name }) => !entries.includes(name))
              .map(({ name }) => (
                <button key={name} type="button" className="link" onClick={() => set([...entries, name])}>
                  put in {name}
                </button>
              ))}
            {addresses.yours !== '' && !entries.includes(addresses.yours) && (
              <button type="button" className="link" onClick={() => set([...entries, addresses.yours])}>
                put in {addresses.yours}, from where you are here
              </button>
            )}
          </div>
        </>
      )}
      <Said rule={addressRuleOf(rule)} addresses={addresses} fenced={fenced} />
    </div>
  );
}

/** The rule as a sentence, and what its author may not have meant. */
function Said({ rule, addresses, fenced }: { readonly rule: AddressRule; readonly addresses: AddressesView; readonly fenced: boolean }) {
  const { networks, fence, yours } = addresses;
  const wrong = wrongIn(rule, networks);
  if (wrong !== '') return rule.kind !== 'anywhere' && rule.of.length === 0 ? null : <p className="rust" style={{ margin: 0 }}>{`${wrong}.`}</p>;
  const notes = reviewAddresses(rule, networks, fenced ? addressRuleOf(fence.addresses) : null);
  const found = yours === '' ? null : (compileAddresses(rule, networks)?.({ from: { address: yours, via: [], unread: '' } }) ?? null);
  const shutOut = found !== null && entryOf(found.code).says === 'fails';
  return (
    <>
      <p style={{ margin: 0 }}>
        <b>{describeAddresses(rule)}.</b>
      </p>
      {notes.map(({ entry, says }, index) => (
        <p key={index} className="ochre small" style={{ margin: 0 }}>
          <Mark kind="unknown" word="look again" /> <span className="mono">{entry}</span> {says}.
        </p>
      ))}
      {shutOut && (
        <p className="ochre" style={{ margin: 0 }}>
          <Mark kind="would-refuse" word="would refuse" /> You are here from <span className="mono">{yours}</span>: calls of yours from there would be refused.
        </p>
      )}
    </>
  );
}
