import { Copyable, Field } from '@virga/parts';
import { ApiPatch, type ApiView, type CorsDto, type TokenOverrideDto } from '@virga/protocol';
import { useState } from 'react';
import { useFieldArray, type UseFormReturn } from 'react-hook-form';
import { useStanding } from '../../client/standing';
import { DraftFormFoot, useDraftForm } from '../../parts/draft-form';
import { SchemesSection } from './schemes-section';
import { TOKEN_MEMBERS, TokenField, type TokenMember } from './token-fields';

const NO_CORS: CorsDto = { origins: [], credentials: false, requestHeaders: ['authorization', 'content-type'], exposedHeaders: [], maxAgeSeconds: 600 };
const valuesOf = ({ resource, token, schemes, cors }: ApiView): ApiPatch => ({ resource, token, schemes, cors });
const lines = (text: string): string[] => text.split(/[\s,]+/).filter(Boolean);

/** The API as a protected resource: identifier, audiences, scopes, who proves callers, browsers. */
export function AccessTab({ api }: { readonly api: ApiView }) {
  const draft = useDraftForm(`/apis/${api.id}`, ApiPatch, api, valuesOf);
  const { form } = draft;
  return (
    <form className="stack" onSubmit={draft.submit} noValidate>
      <div className="columns">
        <div className="stack">
          <Resource form={form} api={api} />
          <Tokens form={form} />
        </div>
        <div className="stack">
          <SchemesSection form={form} />
          <Browsers form={form} />
        </div>
      </div>
      <DraftFormFoot draft={draft} />
    </form>
  );
}

function Resource({ form, api }: { readonly form: UseFormReturn<ApiPatch>; readonly api: ApiView }) {
  const { errors } = form.formState;
  const { data: standing } = useStanding();
  const scopes = useFieldArray({ control: form.control, name: 'resource.scopes' });
  const metadata = `${standing?.gatewayUrl ?? ''}/.well-known/oauth-protected-resource${api.basePath}`;
  return (
    <section className="stack">
      <h2>Protected resource</h2>
      <Field id="identifier" label="Identifier" hint="What clients name as resource when they ask for a token (RFC 8707)" error={errors.resource?.identifier}>
        <input id="identifier" className="mono" {...form.register('resource.identifier')} />
      </Field>
      <div className="small quiet">
        Metadata (RFC 9728), once published: <Copyable text={metadata} />
      </div>
      <div>
        <div className="quiet small">Scopes</div>
        {scopes.fields.map((field, index) => (
          <div key={field.id} className="row field" style={{ flexDirection: 'row', marginBottom: 4 }}>
            <input aria-label="Scope" className="mono" style={{ width: 170 }} {...form.register(`resource.scopes.${index}.name`)} />
            <input aria-label="What it allows" placeholder="what it allows" {...form.register(`resource.scopes.${index}.description`)} />
            <button type="button" className="link" onClick={() => scopes.remove(index)}>
              drop
            </button>
          </div>
        ))}
        <button type="button" className="link" onClick={() => scopes.append({ name: '', description: '' })}>
          add a scope
        </button>
        {errors.resource?.scopes && <div className="rust small">A scope has no spaces, quotes or backslashes, and is not empty.</div>}
      </div>
    </section>
  );
}

const FIRST: readonly TokenMember[] = ['audiences', 'type'];

/** What tokens must be: the two members that every API sets, and the rest on request. */
function Tokens({ form }: { readonly form: UseFormReturn<ApiPatch> }) {
  const token = form.watch('token') ?? {};
  const errors = (form.formState.errors.token ?? {}) as Readonly<Record<string, object | undefined>>;
  const [all, setAll] = useState(false);
  const set = (change: TokenOverrideDto) => form.setValue('token', { ...token, ...change }, { shouldDirty: true, shouldValidate: true });
  const shown = TOKEN_MEMBERS.filter((member) => FIRST.includes(member) || all || errors[member]);
  return (
    <section className="stack">
      <h2>Tokens</h2>
      {shown.map((member) => (
        <TokenField key={member} member={member} id={`token-${member}`} rule={token} set={set} error={errors[member]} />
      ))}
      {all && <DecryptionKeys form={form} />}
      <button type="button" className="link" onClick={() => setAll(!all)} aria-expanded={all}>
        {all ? 'only the usual' : 'all options: places, algorithms, clients, age, claims, sign-in, proof, encryption'}
      </button>
    </section>
  );
}

function DecryptionKeys({ form }: { readonly form: UseFormReturn<ApiPatch> }) {
  const kept = form.watch('token.decryptionSet');
  const errors = form.formState.errors.token as { readonly decryptionKeys?: { readonly message?: string } } | undefined;
  return (
    <Field
      id="decryption"
      label="Private keys that open encrypted tokens (JWK or JWK Set)"
      error={errors?.decryptionKeys}
      hint={kept ? 'Keys are kept and not shown; paste others to replace them' : 'None: encrypted tokens are refused'}
    >
      <textarea
        id="decryption"
        className="mono"
        rows={2}
        autoComplete="off"
        spellCheck={false}
        value={form.watch('token.decryptionKeys') ?? ''}
        onChange={(event) => form.setValue('token.decryptionKeys', event.target.value, { shouldDirty: true })}
      />
    </Field>
  );
}

function Browsers({ form }: { readonly form: UseFormReturn<ApiPatch> }) {
  const cors = form.watch('cors');
  const { errors } = form.formState;
  const set = (change: Partial<CorsDto>) => form.setValue('cors', { ...(cors ?? NO_CORS), ...change }, { shouldDirty: true, shouldValidate: true });
  return (
    <section className="stack">
      <h2>Browsers (CORS)</h2>
      <label className="check">
        <input
          type="checkbox"
          checked={cors !== null && cors !== undefined}
          onChange={(event) => form.setValue('cors', event.target.checked ? NO_CORS : null, { shouldDirty: true })}
        />{' '}
        pages of other origins may call
      </label>
      {cors && (
        <>
          <Field id="origins" label="Origins, one a line; * is any" error={errors.cors?.origins}>
            <textarea
              id="origins"
              className="mono"
              rows={2}
              defaultValue={cors.origins.join('\n')}
              onBlur={(event) => set({ origins: lines(event.target.value) })}
            />
          </Field>
          <Field id="cors-headers" label="Headers they may send" error={errors.cors?.requestHeaders}>
            <input
              id="cors-headers"
              className="mono"
              defaultValue={cors.requestHeaders.join(', ')}
              onBlur={(event) => set({ requestHeaders: lines(event.target.value) })}
            />
          </Field>
          <Field id="cors-exposed" label="Headers of the answer that they may read" error={errors.cors?.exposedHeaders}>
            <input
              id="cors-exposed"
              className="mono"
              defaultValue={cors.exposedHeaders.join(', ')}
              onBlur={(event) => set({ exposedHeaders: lines(event.target.value) })}
            />
          </Field>
          <label className="check">
            <input type="checkbox" checked={cors.credentials} onChange={(event) => set({ credentials: event.target.checked })} /> with cookies
          </label>
        </>
      )}
    </section>
  );
}
