import { useQuery } from '@tanstack/react-query';
import { Copyable, Field, ProblemNotice } from '@virga/parts';
import { PortalSettingsPatch, type PortalSettingsView } from '@virga/protocol';
import { useFieldArray, type UseFormReturn } from 'react-hook-form';
import { DraftFormFoot, useDraftForm } from '../../parts/draft-form';
import { providersQuery } from '../providers/queries';
import { portalSettingsQuery } from './queries';

const valuesOf = ({ name, mark, colour, welcome, contact, registration, providers }: PortalSettingsView): PortalSettingsPatch => ({
  name,
  mark,
  colour,
  welcome,
  contact,
  registration,
  providers: providers.map(({ providerId, label, clientId, scopes, signIn, registration: registers }) => ({
    providerId,
    label,
    clientId,
    scopes,
    signIn,
    registration: registers,
  })),
});

const SAVED = { of: (view: PortalSettingsView) => view, done: () => 'In the portal at once' };

/** How the portal looks, and how one comes in. */
export function PortalLook() {
  const { data, error } = useQuery(portalSettingsQuery);
  if (error) return <ProblemNotice error={error} />;
  if (!data) return <p className="quiet">Reading…</p>;
  return <Form view={data} />;
}

function Form({ view }: { readonly view: PortalSettingsView }) {
  const settings = useDraftForm('/portal/settings', PortalSettingsPatch, view, valuesOf, SAVED);
  const { form } = settings;
  const { errors } = form.formState;
  return (
    <form className="stack" style={{ maxWidth: 860 }} onSubmit={settings.submit} noValidate>
      <div className="row fields wrap">
        <Field id="portal-name" label="Its name" error={errors.name}>
          <input id="portal-name" {...form.register('name')} />
        </Field>
        <Field id="portal-contact" label="Whom to ask" error={errors.contact}>
          <input id="portal-contact" {...form.register('contact')} />
        </Field>
        <Field id="portal-colour" label="Colour" error={errors.colour}>
          <input id="portal-colour" type="color" style={{ height: 30, padding: 0 }} {...form.register('colour')} />
        </Field>
      </div>
      <MarkField form={form} />
      <Field id="portal-welcome" label="Welcome, in Markdown" error={errors.welcome}>
        <textarea id="portal-welcome" className="mono" rows={6} {...form.register('welcome')} />
      </Field>
      <Field id="portal-registration" label="Who was not invited" error={errors.registration}>
        <select id="portal-registration" {...form.register('registration')}>
          <option value="closed">cannot make an account</option>
          <option value="by-hand">can make an account, which waits until you approve it</option>
          <option value="by-itself">can make an account that is good at once</option>
        </select>
      </Field>
      <Providers form={form} view={view} />
      <DraftFormFoot draft={settings} action="Put it in the portal" />
    </form>
  );
}

function MarkField({ form }: { readonly form: UseFormReturn<PortalSettingsPatch> }) {
  const mark = form.watch('mark') ?? '';
  const take = (file: File | undefined): void => {
    if (!file) return;
    const reader = new FileReader();
    reader.onload = () => form.setValue('mark', String(reader.result), { shouldDirty: true, shouldValidate: true });
    reader.readAsDataURL(file);
  };
  return (
    <Field id="portal-mark" label="Its mark, a PNG, JPEG or WebP of at most 64 KB" error={form.formState.errors.mark}>
      <span className="row">
        {mark !== '' && <img src={mark} alt="The mark" height={32} />}
        <input
          id="portal-mark"
          type="file"
          accept="image/png,image/jpeg,image/webp"
          style={{ width: 'auto', border: 0 }}
          onChange={(event) => take(event.target.files?.[0])}
        />
        {mark !== '' && (
          <button type="button" className="link" onClick={() => form.setValue('mark', '', { shouldDirty: true })}>
            without one
          </button>
        )}
      </span>
    </Field>
  );
}

function Providers({ form, view }: { readonly form: UseFormReturn<PortalSettingsPatch>; readonly view: PortalSettingsView }) {
  const { data } = useQuery(providersQuery);
  const list = useFieldArray({ control: form.control, name: 'providers' as never });
  const errors = form.formState.errors.providers;
  const taken = (form.watch('providers') ?? []).map(({ providerId }) => providerId);
  const free = (data?.items ?? []).filter(({ id }) => !taken.includes(id));
  return (
    <section className="stack">
      <h2>Providers that are opened</h2>
      <p className="quiet small">
        Register the portal there with the redirect addresses{' '}
        {view.redirectUris.map((uri, index) => (
          <span key={uri}>
            {index > 0 && ' and '}
            <Copyable text={uri} />
          </span>
        ))}
        . Programs of consumers get their tokens there too.
      </p>
      {list.fields.map(({ id }, index) => {
        const known = view.providers.find(({ providerId }) => providerId === taken[index]);
        const name = known?.name ?? data?.items.find((one) => one.id === taken[index])?.name ?? '';
        const at = <K extends string>(member: K) => `providers.${index}.${member}` as never;
        return (
          <div key={id} className="limit">
            <div className="row spread">
              <span>
                <b>{name}</b>
                {known && !known.live && <span className="ochre"> not live yet: publish it first</span>}
              </span>
              <button type="button" className="link rust" onClick={() => list.remove(index)}>
                close it
              </button>
            </div>
            <div className="row fields wrap">
              <Field id={`label-${index}`} label="On the button" error={errors?.[index]?.label}>
                <input id={`label-${index}`} {...form.register(at('label'))} />
              </Field>
              <Field id={`client-${index}`} label="Client id of the portal" error={errors?.[index]?.clientId}>
                <input id={`client-${index}`} className="mono" {...form.register(at('clientId'))} />
              </Field>
              <Field id={`secret-${index}`} label={known?.secretSet ? 'Its secret (one is kept)' : 'Its secret, if it has one'} error={errors?.[index]?.secret}>
                <input
                  id={`secret-${index}`}
                  type="password"
                  autoComplete="off"
                  {...form.register(at('secret'), { setValueAs: (value: unknown) => (value === '' ? undefined : value) })}
                />
              </Field>
            </div>
            <label className="check">
              <input type="checkbox" {...form.register(at('signIn'))} /> people sign in to the portal there
            </label>
            <label className="check">
              <input type="checkbox" {...form.register(at('registration'))} /> consumers register their programs there (RFC 7591)
            </label>
          </div>
        );
      })}
      {free.length > 0 && (
        <div className="row">
          {free.map(({ id, name }) => (
            <button
              key={id}
              type="button"
              className="link"
              onClick={() =>
                list.append({
                  providerId: id,
                  label: `Sign in at ${name}`.slice(0, 60),
                  clientId: '',
                  scopes: ['openid'],
                  signIn: true,
                  registration: false,
                })
              }
            >
              open {name}
            </button>
          ))}
        </div>
      )}
    </section>
  );
}
