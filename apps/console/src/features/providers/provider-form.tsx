import { PUBLIC_KEY_ALGORITHMS, type Algorithm } from '@virga/core';
import { Field } from '@virga/parts';
import { ProviderPatch, type ProviderSourceDto, type ProviderSourceView, type ProviderView } from '@virga/protocol';
import { DraftFormFoot, useDraftForm } from '../../parts/draft-form';
import { ClaimMapEditor } from './claim-map-editor';
import { SourceFields } from './source-fields';

const SECRET_ALGORITHMS: readonly Algorithm[] = ['HS256', 'HS384', 'HS512'];

const valuesOf = (provider: ProviderView): ProviderPatch => ({
  name: provider.name,
  algorithms: provider.algorithms as Algorithm[],
  leewaySeconds: provider.leewaySeconds,
  lastGoodSeconds: provider.lastGoodSeconds,
  allowLoopbackHttp: provider.allowLoopbackHttp,
  source: sourceOf(provider.source),
});

/** What is kept of a source, as it would be sent: keys and secrets are left out, so that they stay. */
function sourceOf({
  kind,
  url,
  endpoint,
  method,
  clientId,
  positiveSeconds,
  negativeSeconds,
  timeoutMs,
  impliedAudience,
}: ProviderSourceView): ProviderSourceDto {
  const given = { url, endpoint, method, clientId, positiveSeconds, negativeSeconds, timeoutMs, impliedAudience };
  return { kind, ...Object.fromEntries(Object.entries(given).filter(([, value]) => value !== null)) };
}

/** Name, algorithms, leeway and how long last good keys may serve. */
export function ProviderForm({ provider }: { readonly provider: ProviderView }) {
  const draft = useDraftForm(`/providers/${provider.id}`, ProviderPatch, provider, valuesOf);
  const { form } = draft;
  const { errors } = form.formState;
  const algorithms = form.watch('algorithms') ?? [];
  const source = form.watch('source') ?? { kind: 'discovery' };
  const isAsked = source.kind === 'introspection' || source.kind === 'userinfo';
  const flip = (name: Algorithm, on: boolean) =>
    form.setValue('algorithms', on ? [...algorithms, name] : algorithms.filter((item) => item !== name), { shouldDirty: true, shouldValidate: true });
  return (
    <form className="stack" onSubmit={draft.submit} noValidate>
      <Field id="provider-name" label="Name" error={errors.name}>
        <input id="provider-name" {...form.register('name')} />
      </Field>
      <SourceFields
        value={source}
        kept={provider.source}
        errors={(errors.source ?? {}) as Readonly<Record<string, object | undefined>>}
        onChange={(next) => form.setValue('source', next, { shouldDirty: true, shouldValidate: true })}
      />
      {!isAsked && (
        <div className="field" role="group" aria-label="Algorithms that are accepted">
          <span className="label">Algorithms that are accepted</span>
          <div className="row wrap">
            {(source.kind === 'secret' ? SECRET_ALGORITHMS : PUBLIC_KEY_ALGORITHMS).map((name) => (
              <label key={name} className="check mono">
                <input type="checkbox" checked={algorithms.includes(name)} onChange={(event) => flip(name, event.target.checked)} /> {name}
              </label>
            ))}
          </div>
          {errors.algorithms && <span className="error">Accept at least one algorithm that goes with its keys</span>}
        </div>
      )}
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

/** The provider's claim map, kept apart from how its tokens are proved. */
export function ClaimMapForm({ provider }: { readonly provider: ProviderView }) {
  const draft = useDraftForm(`/providers/${provider.id}`, ProviderPatch, provider, mapOf);
  const { form } = draft;
  const map = form.watch('claimMap') ?? provider.claimMap;
  return (
    <form className="stack" onSubmit={draft.submit} noValidate>
      <ClaimMapEditor provider={provider} value={map} onChange={(claimMap) => form.setValue('claimMap', claimMap, { shouldDirty: true })} />
      <DraftFormFoot draft={draft} />
    </form>
  );
}

const mapOf = ({ claimMap }: ProviderView): ProviderPatch => ({ claimMap });
