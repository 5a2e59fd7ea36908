import { Field } from '@virga/parts';
import type { ProviderSourceDto, ProviderSourceView, SourceKind } from '@virga/protocol';

/** How a provider's tokens can be proved, in words. */
export const SOURCE_WORDS: Readonly<Record<SourceKind, string>> = {
  discovery: 'by its keys, found from the issuer',
  'key-set-url': 'by a key set at an address of its own',
  keys: 'by keys set by hand: a key set, PEM or certificate',
  secret: 'by a shared secret (HS256)',
  introspection: 'by asking its introspection endpoint (RFC 7662): opaque tokens',
  userinfo: 'by trying them at a userinfo-like endpoint: opaque tokens of providers without introspection',
};

type Errors = Readonly<Record<string, object | undefined>>;

/** Where trust in a provider's tokens comes from, and what that needs. */
export function SourceFields({
  value,
  onChange,
  kept,
  errors,
}: {
  readonly value: ProviderSourceDto;
  readonly onChange: (value: ProviderSourceDto) => void;
  /** What is kept already; its secrets need not be given again. */
  readonly kept?: ProviderSourceView;
  readonly errors: Errors;
}) {
  const set = (change: Partial<ProviderSourceDto>) => onChange({ ...value, ...change });
  const secretKept = kept?.kind === value.kind && kept.secretSet;
  return (
    <div className="stack">
      <Field id="source-kind" label="How its tokens are proved" error={errors['kind']}>
        <select id="source-kind" value={value.kind} onChange={(event) => onChange({ kind: event.target.value as SourceKind })}>
          {Object.entries(SOURCE_WORDS).map(([kind, words]) => (
            <option key={kind} value={kind}>
              {words}
            </option>
          ))}
        </select>
      </Field>
      {value.kind === 'key-set-url' && (
        <Field id="source-url" label="Address of the key set" error={errors['url']}>
          <input id="source-url" className="mono" value={value.url ?? ''} onChange={(event) => set({ url: event.target.value })} />
        </Field>
      )}
      {value.kind === 'keys' && (
        <Field
          id="source-keys"
          label="Public keys"
          error={errors['keys']}
          hint={kept?.kind === 'keys' ? `${kept.keyCount} kept; paste others to replace them` : 'A JWK, a JWK Set, PEM public keys or PEM certificates'}
        >
          <textarea
            id="source-keys"
            className="mono"
            rows={5}
            spellCheck={false}
            value={value.keys ?? ''}
            onChange={(event) => set({ keys: event.target.value })}
          />
        </Field>
      )}
      {value.kind === 'secret' && <Secret value={value} set={set} kept={secretKept} errors={errors} label="Shared secret, at least 32 characters" />}
      {(value.kind === 'introspection' || value.kind === 'userinfo') && (
        <>
          <Field id="source-endpoint" label="Address of the endpoint" error={errors['endpoint']}>
            <input id="source-endpoint" className="mono" value={value.endpoint ?? ''} onChange={(event) => set({ endpoint: event.target.value })} />
          </Field>
          {value.kind === 'introspection' && <Client value={value} set={set} kept={secretKept} errors={errors} />}
          <Times value={value} set={set} errors={errors} />
        </>
      )}
    </div>
  );
}

interface PartProps {
  readonly value: ProviderSourceDto;
  readonly set: (change: Partial<ProviderSourceDto>) => void;
  readonly errors: Errors;
}

function Secret({ value, set, kept, errors, label }: PartProps & { readonly kept: boolean; readonly label: string }) {
  return (
    <Field
      id="source-secret"
      label={label}
      error={errors['secret']}
      hint={kept ? 'One is kept and not shown; type another to replace it' : 'Sealed at rest, shown to nobody'}
    >
      <input
        id="source-secret"
        type="password"
        className="mono"
        autoComplete="off"
        value={value.secret ?? ''}
        onChange={(event) => set({ secret: event.target.value })}
      />
    </Field>
  );
}

function Client({ value, set, kept, errors }: PartProps & { readonly kept: boolean }) {
  return (
    <>
      <Field id="source-client" label="Client id of the gateway there" error={errors['clientId']}>
        <input id="source-client" className="mono" value={value.clientId ?? ''} onChange={(event) => set({ clientId: event.target.value })} />
      </Field>
      <Field id="source-method" label="How the gateway proves itself" error={errors['method']}>
        <select
          id="source-method"
          value={value.method ?? 'client_secret_basic'}
          onChange={(event) => set({ method: event.target.value as NonNullable<ProviderSourceDto['method']> })}
        >
          <option value="client_secret_basic">client_secret_basic</option>
          <option value="client_secret_post">client_secret_post</option>
          <option value="private_key_jwt">private_key_jwt</option>
        </select>
      </Field>
      <Secret value={value} set={set} kept={kept} errors={errors} label={value.method === 'private_key_jwt' ? 'Private key as a JWK' : 'Client secret'} />
    </>
  );
}

function Times({ value, set, errors }: PartProps) {
  const number = (id: string, label: string, member: 'positiveSeconds' | 'negativeSeconds' | 'timeoutMs', usual: number) => (
    <Field id={id} label={label} error={errors[member]}>
      <input id={id} type="number" value={value[member] ?? usual} onChange={(event) => set({ [member]: Number(event.target.value) })} />
    </Field>
  );
  return (
    <>
      <div className="row fields">
        {number('source-positive', 'A good answer may be used, seconds', 'positiveSeconds', 60)}
        {number('source-negative', 'A bad answer, seconds', 'negativeSeconds', 10)}
        {number('source-timeout', 'Time to answer, milliseconds', 'timeoutMs', 2000)}
      </div>
      <Field
        id="source-audience"
        label="Audience to assume when the answer names none"
        error={errors['impliedAudience']}
        hint="Leave empty to refuse such tokens where an audience is asked for"
      >
        <input id="source-audience" className="mono" value={value.impliedAudience ?? ''} onChange={(event) => set({ impliedAudience: event.target.value })} />
      </Field>
    </>
  );
}
