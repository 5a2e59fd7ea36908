import { CALLER_MEMBERS } from '@virga/core';
import { ApiPatch, type ApiView } from '@virga/protocol';
import { useFieldArray, type UseFormReturn } from 'react-hook-form';
import { DraftFormFoot, useDraftForm } from '../../parts/draft-form';
import { MESSAGE_MEMBERS, MessageField } from './message-fields';

const valuesOf = ({ message, headers }: ApiView): ApiPatch => ({ message, headers });

/** What bodies may be in both directions, and what is done to header fields on the way up and back. */
export function MessageTab({ api }: { readonly api: ApiView }) {
  const draft = useDraftForm(`/apis/${api.id}`, ApiPatch, api, valuesOf);
  const { form } = draft;
  return (
    <form className="stack" onSubmit={draft.submit} noValidate>
      <div className="columns">
        <Bodies form={form} api={api} />
        <div className="stack">
          <Lane
            form={form}
            lane="up"
            title="Headers on the way up"
            says="What the upstream gets. A field that is set or removed takes away what the caller sent under that name, in whatever spelling."
          />
          <Lane form={form} lane="back" title="Headers on the way back" says="What the caller gets of the upstream’s answer." />
          <label className="check">
            <input
              type="checkbox"
              checked={form.watch('headers.hidePlatform') ?? false}
              onChange={(event) => form.setValue('headers.hidePlatform', event.target.checked, { shouldDirty: true })}
            />{' '}
            take away what the upstream says of its platform: server, powered-by and their like
          </label>
        </div>
      </div>
      <DraftFormFoot draft={draft} />
    </form>
  );
}

function Bodies({ form, api }: { readonly form: UseFormReturn<ApiPatch>; readonly api: ApiView }) {
  const rule = form.watch('message') ?? api.message;
  const errors = (form.formState.errors.message ?? {}) as Readonly<Record<string, object | undefined>>;
  return (
    <section className="stack">
      <h2>Bodies</h2>
      {MESSAGE_MEMBERS.map((member) => (
        <MessageField
          key={member}
          member={member}
          id={`message-${member}`}
          rule={rule}
          set={(change) => form.setValue('message', { ...rule, ...change }, { shouldDirty: true, shouldValidate: true })}
          error={errors[member]}
        />
      ))}
      <p className="quiet small">
        Single operations may ask for something else, on their own page. Whether a bound refuses or only observes is said by the modes.
      </p>
    </section>
  );
}

const ACTIONS = { set: 'set', add: 'add', remove: 'remove' } as const;

function Lane({
  form,
  lane,
  title,
  says,
}: {
  readonly form: UseFormReturn<ApiPatch>;
  readonly lane: 'up' | 'back';
  readonly title: string;
  readonly says: string;
}) {
  const name = `headers.${lane}` as const;
  const list = useFieldArray({ control: form.control, name });
  const edits = form.watch(name) ?? [];
  const errors = form.formState.errors.headers?.[lane];
  return (
    <section className="stack" style={{ gap: 8 }}>
      <h2>{title}</h2>
      <p className="quiet small" style={{ margin: 0 }}>
        {says}
      </p>
      {list.fields.map((field, index) => {
        const edit = edits[index];
        const wrong = errors?.[index];
        return (
          <div key={field.id}>
            <div className="row" style={{ gap: 6, flexWrap: 'wrap' }}>
              <select
                aria-label={`${title}: what is done`}
                className="plain"
                style={{ width: 92 }}
                value={edit?.action ?? 'set'}
                onChange={(event) => {
                  const action = event.target.value as keyof typeof ACTIONS;
                  const value = edit?.value ?? { kind: 'text' as const, text: '' };
                  list.update(index, action === 'remove' ? { action, name: edit?.name ?? '' } : { action, name: edit?.name ?? '', value });
                }}
              >
                {Object.keys(ACTIONS).map((action) => (
                  <option key={action}>{action}</option>
                ))}
              </select>
              <input
                aria-label={`${title}: name`}
                className="plain mono"
                style={{ width: 150 }}
                placeholder="name"
                {...form.register(`${name}.${index}.name`)}
              />
              {edit && edit.action !== 'remove' && <Value form={form} name={`${name}.${index}.value`} title={title} />}
              <button type="button" className="link small" onClick={() => list.remove(index)}>
                drop
              </button>
            </div>
            {wrong && (
              <span className="error small" role="alert">
                {String(wrong.name?.message ?? wrong.value?.text?.message ?? wrong.value?.message ?? wrong.message ?? 'This cannot be used')}
              </span>
            )}
          </div>
        );
      })}
      <div>
        <button type="button" className="link" onClick={() => list.append({ action: 'set', name: '', value: { kind: 'text', text: '' } })}>
          {lane === 'up' ? 'change a header on the way up' : 'change a header on the way back'}
        </button>
      </div>
    </section>
  );
}

function Value({
  form,
  name,
  title,
}: {
  readonly form: UseFormReturn<ApiPatch>;
  readonly name: `headers.${'up' | 'back'}.${number}.value`;
  readonly title: string;
}) {
  const value = form.watch(name);
  const chosen = value?.kind === 'caller' ? (value.member ?? 'client') : (value?.kind ?? 'text');
  return (
    <>
      <select
        aria-label={`${title}: what it holds`}
        className="plain"
        style={{ width: 130 }}
        value={chosen}
        onChange={(event) => {
          const member = CALLER_MEMBERS.find((one) => one === event.target.value);
          const other = event.target.value === 'metadata' ? { kind: 'metadata' as const, name: '' } : { kind: 'text' as const, text: '' };
          form.setValue(name, member ? { kind: 'caller', member } : other, { shouldDirty: true });
        }}
      >
        <option value="text">the text</option>
        <option value="metadata">client’s metadata</option>
        {CALLER_MEMBERS.map((member) => (
          <option key={member} value={member}>
            caller’s {member}
          </option>
        ))}
      </select>
      {chosen === 'metadata' && (
        <input
          aria-label={`${title}: member of the metadata`}
          className="plain mono"
          style={{ width: 150 }}
          placeholder="member"
          {...form.register(`${name}.name`)}
        />
      )}
      {chosen === 'text' && <input aria-label={`${title}: text`} className="plain mono grow" style={{ minWidth: 220 }} {...form.register(`${name}.text`)} />}
    </>
  );
}
