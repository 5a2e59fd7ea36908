import Button from '@mui/material/Button';
import { useMutation } from '@tanstack/react-query';
import { count, Field, ProblemNotice } from '@virga/parts';
import type { AddressAnswer, AddressesView, AddressVerdict } from '@virga/protocol';
import { useState, type SyntheticEvent } from 'react';
import { Link } from 'react-router';
import { DataTable, type Column } from '../../parts/data-table';
import { Mark } from '../../parts/mark';
import { askAddress } from '../apis/address-queries';
import { operationPath } from '../../client/places';

/** Would this address pass? Asked of every rule of the draft, by the functions that the gateway runs. */
export function AddressTester({ view }: { readonly view: AddressesView }) {
  const [from, setFrom] = useState(view.yours);
  const [field, setField] = useState('');
  const ask = useMutation({ mutationFn: () => askAddress({ from: from.trim(), ...(field === '' ? {} : { field }) }) });
  const submit = (event: SyntheticEvent) => {
    event.preventDefault();
    ask.mutate();
  };
  return (
    <section className="stack">
      <h2>Would this address pass?</h2>
      <form className="stack" onSubmit={submit}>
        <Field id="ask-from" label="Address of the connection" hint={view.yours === '' ? '' : `You reached the control plane from ${view.yours}`}>
          <input id="ask-from" className="mono" value={from} spellCheck={false} onChange={(event) => setFrom(event.target.value)} />
        </Field>
        {view.callerAddress && (
          <Field id="ask-field" label={`What ${view.callerAddress.header} says`} hint="counts only where the connection comes from a trusted hop">
            <input id="ask-field" className="mono" value={field} spellCheck={false} onChange={(event) => setField(event.target.value)} />
          </Field>
        )}
        <div>
          <Button type="submit" variant="outlined" disabled={from.trim() === '' || ask.isPending}>
            Ask the draft
          </Button>
        </div>
      </form>
      <ProblemNotice error={ask.error} />
      {ask.data && <Answer answer={ask.data} />}
    </section>
  );
}

const COLUMNS: readonly Column<AddressVerdict>[] = [
  { cell: ({ passes, mode }) => <Mark kind={passes ? 'passed' : mode === 'observe' ? 'would-refuse' : 'refused'} /> },
  {
    head: 'Rule of',
    cell: ({ apiId, operationId, name }) =>
      apiId === '' ? name : <Link to={operationId === null ? `/apis/${apiId}` : operationPath(apiId, operationId)}>{name}</Link>,
  },
  { head: 'says', cell: ({ rule, sentence }) => <span title={sentence}>{rule}</span> },
];

function Answer({ answer }: { readonly answer: AddressAnswer }) {
  const { address, via, unread, networks, verdicts, anywhere } = answer;
  return (
    <div className="stack" style={{ gap: 8 }} aria-live="polite">
      <p style={{ margin: 0 }}>
        {address === null ? (
          <span className="rust">Where it comes from cannot be known: {unread}. Every rule about addresses refuses it.</span>
        ) : (
          <>
            It counts as coming from <b className="mono">{address}</b>
            {via.length > 0 && <>, as {via.join(', then ')} said</>}
            {networks.length > 0 && <>, of {networks.join(', ')}</>}.
          </>
        )}
      </p>
      {verdicts.length > 0 && (
        <DataTable items={verdicts} label="What each rule says" columns={COLUMNS} keyOf={({ apiId, operationId }) => `${apiId} ${operationId ?? ''}`} />
      )}
      <p className="quiet small" style={{ margin: 0 }}>
        {verdicts.length === 0 ? 'The draft has no rule about addresses: ' : ''}
        {count(anywhere)} operations ask nobody from where they call{verdicts.some(({ apiId }) => apiId === '') ? ', beyond the fence' : ''}.
      </p>
    </div>
  );
}
