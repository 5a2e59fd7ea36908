import { describeAddresses } from '@virga/core';
import { useQuery } from '@tanstack/react-query';
import { count, Field, ProblemNotice } from '@virga/parts';
import { AddressesPatch, addressRuleOf, type AddressesView } from '@virga/protocol';
import { Link } from 'react-router';
import { withQuery } from '../../client/api';
import { useFieldArray, type UseFormReturn } from 'react-hook-form';
import { DraftFormFoot, useDraftForm } from '../../parts/draft-form';
import { TextList } from '../../parts/text-list';
import { AddressRuleEditor, rowsFor } from '../apis/address-rule-editor';
import { AddressTester } from './address-tester';
import { addressesQuery } from '../apis/address-queries';

const valuesOf = ({ networks, fence, callerAddress }: AddressesView): AddressesPatch => ({ networks, fence, callerAddress });

/** From where one may call at all: named networks, the gateway's fence, the hops that are believed, and a question to all rules. */
export function Addresses() {
  const { data, error } = useQuery(addressesQuery);
  return (
    <>
      <div className="page-head">
        <h1>Addresses</h1>
        <span className="quiet">
          {data
            ? `${describeAddresses(addressRuleOf(data.fence.addresses))}${isObserved(data) ? '; only observed yet' : ''}. APIs and operations may ask for more.`
            : ''}
        </span>
      </div>
      <ProblemNotice error={error} />
      {data && (
        <div className="columns">
          <Rules view={data} />
          <AddressTester view={data} />
        </div>
      )}
    </>
  );
}

const isObserved = ({ fence }: AddressesView): boolean => fence.addresses.kind !== 'anywhere' && fence.mode === 'observe';

function Rules({ view }: { readonly view: AddressesView }) {
  const draft = useDraftForm('/addresses', AddressesPatch, view, valuesOf);
  const { form } = draft;
  const fence = form.watch('fence') ?? view.fence;
  const typed = { ...view, networks: form.watch('networks') ?? [], fence };
  return (
    <form className="stack" onSubmit={draft.submit} noValidate>
      <section className="stack">
        <h2>Fence of the gateway</h2>
        <p className="quiet small" style={{ margin: 0 }}>
          Stands before every API and every path.
        </p>
        <AddressRuleEditor
          id="fence"
          rule={fence.addresses}
          onChange={(addresses) => form.setValue('fence', { ...fence, addresses }, { shouldDirty: true, shouldValidate: true })}
          addresses={typed}
          fenced={false}
          error={form.formState.errors.fence?.addresses?.of}
        />
        {fence.addresses.kind !== 'anywhere' && (
          <label className="check">
            <input
              type="checkbox"
              checked={fence.mode === 'observe'}
              onChange={(event) => form.setValue('fence', { ...fence, mode: event.target.checked ? 'observe' : 'enforce' }, { shouldDirty: true })}
            />{' '}
            only observe: whoever it would refuse gets in, and is counted
          </label>
        )}
      </section>
      <Stopped view={view} />
      <Networks form={form} />
      <Hops form={form} />
      <DraftFormFoot draft={draft} />
    </form>
  );
}

/** What the fence stopped, and what it would have stopped, before anybody switches it. */
function Stopped({ view }: { readonly view: AddressesView }) {
  const { refused, wouldRefuse } = view;
  const link = (outcome: string) => withQuery('/traces', { outcome, step: 'fence' });
  return (
    <p className="small" style={{ margin: 0 }}>
      <span className="quiet">In the last 24 hours it</span> stopped {refused === 0 ? 'nobody' : <Link to={link('refused')}>{count(refused)} requests</Link>}
      {wouldRefuse > 0 && (
        <>
          {' '}
          and would have stopped <Link to={link('would-refuse')}>{count(wouldRefuse)}</Link>
        </>
      )}
      .
    </p>
  );
}

function Networks({ form }: { readonly form: UseFormReturn<AddressesPatch> }) {
  const list = useFieldArray({ control: form.control, name: 'networks' });
  const networks = form.watch('networks') ?? [];
  const errors = form.formState.errors.networks;
  return (
    <section className="stack">
      <h2>Named networks</h2>
      {networks.length === 0 && (
        <p className="quiet" style={{ margin: 0 }}>
          A name for the networks of an office, a partner or a cloud: rules that use it stay right when the networks change.
        </p>
      )}
      {list.fields.map((field, index) => (
        <div key={field.id} className="row" style={{ alignItems: 'flex-start', gap: 8 }}>
          <Field id={`network-${index}`} label="Name" error={errors?.[index]?.name}>
            <input id={`network-${index}`} style={{ width: 150 }} {...form.register(`networks.${index}.name`)} />
          </Field>
          <div className="grow">
            <Field id={`network-${index}-entries`} label="Addresses and networks, one a line" error={errors?.[index]?.entries}>
              <TextList
                id={`network-${index}-entries`}
                rows={rowsFor(networks[index]?.entries ?? [])}
                value={networks[index]?.entries ?? []}
                onChange={(entries) => form.setValue(`networks.${index}.entries`, entries, { shouldDirty: true, shouldValidate: true })}
              />
            </Field>
          </div>
          <button type="button" className="link small" style={{ marginTop: 22 }} onClick={() => list.remove(index)}>
            drop
          </button>
        </div>
      ))}
      <div>
        <button type="button" className="link" onClick={() => list.append({ name: '', description: '', entries: [] })}>
          name a network
        </button>
      </div>
    </section>
  );
}

function Hops({ form }: { readonly form: UseFormReturn<AddressesPatch> }) {
  const rule = form.watch('callerAddress') ?? null;
  const error = form.formState.errors.callerAddress;
  const set = (next: AddressesPatch['callerAddress']) => form.setValue('callerAddress', next, { shouldDirty: true, shouldValidate: true });
  return (
    <section className="stack">
      <h2>Where a request came from</h2>
      <label className="check">
        <input type="radio" name="caller-address" checked={rule === null} onChange={() => set(null)} /> the address of the connection
      </label>
      <label className="check">
        <input type="radio" name="caller-address" checked={rule !== null} onChange={() => set({ header: 'x-forwarded-for', trustedHops: [] })} /> what a trusted
        hop in front of the gateway says
      </label>
      {rule !== null && (
        <>
          <Field id="caller-header" label="Field that it writes" hint="read from the right; the first address that is no trusted hop is the caller">
            <select
              id="caller-header"
              value={rule.header}
              onChange={(event) => set({ ...rule, header: event.target.value === 'forwarded' ? 'forwarded' : 'x-forwarded-for' })}
            >
              <option value="x-forwarded-for">X-Forwarded-For</option>
              <option value="forwarded">Forwarded (RFC 7239)</option>
            </select>
          </Field>
          <Field id="caller-hops" label="Trusted hops: addresses, networks and names, one a line" error={error}>
            <TextList id="caller-hops" rows={2} separator={/[\n,]+/} value={rule.trustedHops} onChange={(trustedHops) => set({ ...rule, trustedHops })} />
          </Field>
        </>
      )}
    </section>
  );
}
