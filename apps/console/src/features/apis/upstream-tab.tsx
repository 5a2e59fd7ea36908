import type { CallerFields, UpstreamLimits } from '@virga/core';
import { Field } from '@virga/parts';
import { ApiPatch, type ApiView } from '@virga/protocol';
import { DraftFormFoot, useDraftForm } from '../../parts/draft-form';

const valuesOf = ({ name, version, basePath, upstream }: ApiView): ApiPatch => ({ name, version, basePath, upstream });

/** In the order of the form. */
const LIMITS: readonly { readonly name: keyof UpstreamLimits; readonly label: string; readonly hint: string }[] = [
  { name: 'connections', label: 'Connections, and so requests at one time', hint: 'APIs with the same upstream and limits share them' },
  { name: 'waiting', label: 'Requests that may wait for one', hint: 'One more is answered 503 at once' },
  { name: 'waitMs', label: 'Longest wait, milliseconds', hint: 'Then 503, with the time after which to try again' },
  { name: 'sharePercent', label: 'Share of one caller, percent', hint: 'A client with a token counts as itself, everybody else by address' },
  {
    name: 'leastBytesPerSecond',
    label: 'Least pace of a caller, bytes a second',
    hint: 'In sending and in reading; slower ones are cut off. 0 lets any pace pass',
  },
  { name: 'paceMs', label: 'Time over which the pace is measured, milliseconds', hint: 'Time in which the upstream is slow does not count' },
];

const CALLER_FIELDS: Readonly<Record<CallerFields, string>> = {
  'x-forwarded': 'X-Forwarded-For, -Proto and -Host',
  forwarded: 'Forwarded (RFC 7239)',
  both: 'both',
};

/** Where the API lives, and where its requests go. */
export function UpstreamTab({ api }: { readonly api: ApiView }) {
  const draft = useDraftForm(`/apis/${api.id}`, ApiPatch, api, valuesOf);
  const { form } = draft;
  const { errors } = form.formState;
  return (
    <form className="stack" onSubmit={draft.submit} noValidate>
      <div className="columns">
        <div className="stack">
          <Field id="name" label="Name" error={errors.name}>
            <input id="name" {...form.register('name')} />
          </Field>
          <Field id="version" label="Version" error={errors.version}>
            <input id="version" {...form.register('version')} />
          </Field>
          <Field id="base" label="Base path on the gateway" error={errors.basePath}>
            <input id="base" className="mono" {...form.register('basePath')} />
          </Field>
          <Field id="url" label="Upstream address" error={errors.upstream?.url} hint="A path in it goes in front of every request">
            <input id="url" className="mono" {...form.register('upstream.url')} />
          </Field>
          <Field id="connect" label="Time to connect, milliseconds" error={errors.upstream?.connectTimeoutMs}>
            <input id="connect" type="number" {...form.register('upstream.connectTimeoutMs', { valueAsNumber: true })} />
          </Field>
          <Field
            id="response"
            label="Time to answer, and between two parts of an answer, milliseconds"
            hint="Counts from a request’s arrival, waiting included"
            error={errors.upstream?.responseTimeoutMs}
          >
            <input id="response" type="number" {...form.register('upstream.responseTimeoutMs', { valueAsNumber: true })} />
          </Field>
          <label className="check">
            <input type="checkbox" {...form.register('upstream.sendCredential')} /> the caller’s Authorization header travels on to the upstream
          </label>
          <Field
            id="caller-fields"
            label="Fields that tell the upstream from where a request came"
            hint="What callers write under any of these names ends at the gateway"
            error={errors.upstream?.callerFields}
          >
            <select id="caller-fields" {...form.register('upstream.callerFields')}>
              {Object.entries(CALLER_FIELDS).map(([fields, said]) => (
                <option key={fields} value={fields}>
                  {said}
                </option>
              ))}
            </select>
          </Field>
        </div>
        <div className="stack">
          <h2>What callers can hold of it</h2>
          {LIMITS.map(({ name, label, hint }) => (
            <Field key={name} id={name} label={label} hint={hint} error={errors.upstream?.limits?.[name]}>
              <input id={name} type="number" {...form.register(`upstream.limits.${name}`, { valueAsNumber: true })} />
            </Field>
          ))}
        </div>
      </div>
      <DraftFormFoot draft={draft} />
    </form>
  );
}
