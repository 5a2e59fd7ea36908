import { PUBLIC_KEY_ALGORITHMS, type Algorithm } from '@virga/core';
import { ProviderPatch, type ProviderView } from '@virga/protocol';
import { DraftFormFoot, useDraftForm } from '../../parts/draft-form';
import { Field } from '../../parts/field';

const valuesOf = (provider: ProviderView): ProviderPatch => ({
  name: provider.name,
  algorithms: provider.algorithms as Algorithm[],
  leewaySeconds: provider.leewaySeconds,
  lastGoodSeconds: provider.lastGoodSeconds,
  allowLoopbackHttp: provider.allowLoopbackHttp,
});

/** Name, algorithms, leeway and how long last good keys may serve. */
export function ProviderForm({ provider }: { readonly provider: ProviderView }) {
  const draft = useDraftForm(`/providers/${provider.id}`, ProviderPatch, provider, valuesOf);
  const { form } = draft;
  const { errors } = form.formState;
  const algorithms = form.watch('algorithms') ?? [];
  const flip = (name: Algorithm, on: boolean) =>
    form.setValue('algorithms', on ? [...algorithms, name] : algorithms.filter((item) => item !== name), { shouldDirty: true, shouldValidate: true });
  return (
    <form className="stack" onSubmit={draft.submit} noValidate>
      <Field id="provider-name" label="Name" error={errors.name}>
        <input id="provider-name" {...form.register('name')} />
      </Field>
      <div className="field" role="group" aria-label="Algorithms that are accepted">
        <span className="label">Algorithms that are accepted</span>
        <div className="row wrap">
          {PUBLIC_KEY_ALGORITHMS.map((name) => (
            <label key={name} className="check mono">
              <input type="checkbox" checked={algorithms.includes(name)} onChange={(event) => flip(name, event.target.checked)} /> {name}
            </label>
          ))}
        </div>
        {errors.algorithms && <span className="error">Accept at least one algorithm</span>}
      </div>
      <Field id="leeway" label="Leeway for clocks, seconds (0 to 300)" error={errors.leewaySeconds}>
        <input id="leeway" type="number" {...form.register('leewaySeconds', { valueAsNumber: true })} />
      </Field>
      <Field id="last-good" label="How long last good keys may serve when it cannot be reached, seconds" error={errors.lastGoodSeconds}>
        <input id="last-good" type="number" {...form.register('lastGoodSeconds', { valueAsNumber: true })} />
      </Field>
      <label className="check">
        <input type="checkbox" {...form.register('allowLoopbackHttp')} /> may be asked over plain http on this machine
      </label>
      <DraftFormFoot draft={draft} />
    </form>
  );
}
