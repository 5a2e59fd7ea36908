import { ApiPatch, type ApiView } from '@virga/protocol';
import { DraftFormFoot, useDraftForm } from '../../parts/draft-form';
import { Field } from '../../parts/field';

const valuesOf = ({ name, version, basePath, upstream }: ApiView): ApiPatch => ({ name, version, basePath, upstream });

/** Where the API lives, and where its requests go. */
export function UpstreamTab({ api }: { readonly api: ApiView }) {
  const draft = useDraftForm(`/apis/${api.id}`, ApiPatch, api, valuesOf);
  const { form } = draft;
  const { errors } = form.formState;
  return (
    <form className="stack" style={{ maxWidth: 560 }} onSubmit={draft.submit} noValidate>
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
      <Field id="response" label="Time to answer, and between two parts of an answer, milliseconds" error={errors.upstream?.responseTimeoutMs}>
        <input id="response" type="number" {...form.register('upstream.responseTimeoutMs', { valueAsNumber: true })} />
      </Field>
      <label className="check">
        <input type="checkbox" {...form.register('upstream.sendCredential')} /> the caller’s Authorization header travels on to the upstream
      </label>
      <DraftFormFoot draft={draft} />
    </form>
  );
}
