import { takesTokens, type SchemeType } from '@virga/core';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Copyable, Field } from '@virga/parts';
import type { ApiPatch, ProviderView, SchemeDto } from '@virga/protocol';
import { useFieldArray, type UseFormReturn } from 'react-hook-form';
import { Link } from 'react-router';
import { providersQuery } from '../providers/queries';

/** Kinds of schemes that can be added by hand, and what their declared type is then. */
const KINDS: readonly { readonly type: SchemeType; readonly declared: string; readonly word: string }[] = [
  { type: 'http-bearer', declared: 'http bearer', word: 'a bearer token' },
  { type: 'apiKey', declared: 'apiKey', word: 'an API key' },
  { type: 'http-basic', declared: 'http basic', word: 'name and secret (Basic)' },
  { type: 'mutualTLS', declared: 'mutualTLS', word: 'a client certificate' },
];
const NAMES: Readonly<Partial<Record<SchemeType, string>>> = { 'http-bearer': 'token', apiKey: 'key', 'http-basic': 'basic', mutualTLS: 'certificate' };

/** The security schemes of an API: what they are called, and who or what meets each. */
export function SchemesSection({ form }: { readonly form: UseFormReturn<ApiPatch> }) {
  const { data: providers } = useQuery(providersQuery);
  const client = useQueryClient();
  const schemes = form.watch('schemes') ?? [];
  const list = useFieldArray({ control: form.control, name: 'schemes' });
  // Who proves tokens is proposed where there is no choice; the list held may be older than the only provider.
  const proposed = async (type: SchemeType): Promise<string[]> => {
    if (!takesTokens(type)) return [];
    const current = await client.fetchQuery({ ...providersQuery, retry: false }).catch(() => null);
    return current?.items.length === 1 ? current.items.map((item) => item.id) : [];
  };
  const add = async ({ type, declared }: (typeof KINDS)[number]): Promise<void> => {
    const found = await proposed(type);
    list.append({
      name: freeName(NAMES[type] ?? 'scheme', form.getValues('schemes') ?? []),
      type,
      declared,
      metadataUrl: null,
      providers: found,
      place: type === 'apiKey' ? { kind: 'header', name: 'x-api-key', scheme: null } : null,
    });
  };
  return (
    <section className="stack">
      <h2>Security schemes and who proves them</h2>
      {list.fields.length === 0 && <p className="quiet">The contract declares none. Add one to be able to ask who calls.</p>}
      {list.fields.map((field, index) => {
        const scheme = schemes[index];
        return (
          <div key={field.id} style={{ borderBottom: '1px solid var(--hairline)', paddingBottom: 8 }}>
            <div className="row">
              <input aria-label="Name of the scheme" className="plain mono" style={{ width: 180 }} {...form.register(`schemes.${index}.name`)} />
              <span className="quiet small">{scheme?.declared}</span>
              <button type="button" className="link small" onClick={() => list.remove(index)}>
                drop
              </button>
            </div>
            {scheme && <MetBy scheme={scheme} index={index} form={form} providers={providers?.items ?? []} />}
          </div>
        );
      })}
      <div className="row wrap small">
        <span className="quiet">Add</span>
        {KINDS.map((kind) => (
          <button key={kind.type} type="button" className="link" onClick={() => void add(kind)}>
            {kind.word}
          </button>
        ))}
      </div>
    </section>
  );
}

function freeName(base: string, schemes: readonly SchemeDto[]): string {
  for (let index = 1; ; index++) {
    const name = index === 1 ? base : `${base}${index}`;
    if (!schemes.some((scheme) => scheme.name === name)) return name;
  }
}

interface MetByProps {
  readonly scheme: SchemeDto;
  readonly index: number;
  readonly form: UseFormReturn<ApiPatch>;
  readonly providers: readonly ProviderView[];
}

/** Who or what meets one scheme. */
function MetBy({ scheme, index, form, providers }: MetByProps) {
  switch (scheme.type) {
    case 'apiKey':
      return <KeyPlace index={index} form={form} />;
    case 'http-basic':
      return <Clients what="names and secrets" />;
    case 'mutualTLS':
      return <Clients what="certificates" />;
    case 'unsupported':
      return <div className="rust small">Not checked here: operations that ask for it refuse everyone.</div>;
    default:
      return <Providers scheme={scheme} index={index} form={form} providers={providers} />;
  }
}

function Clients({ what }: { readonly what: string }) {
  return (
    <div className="small quiet">
      met by the {what} of <Link to="/clients">clients</Link>
    </div>
  );
}

function KeyPlace({ index, form }: Pick<MetByProps, 'index' | 'form'>) {
  const kind = form.watch(`schemes.${index}.place.kind`);
  const errors = form.formState.errors.schemes?.[index]?.place;
  return (
    <div className="stack" style={{ gap: 4 }}>
      <Clients what="keys" />
      <div className="row fields">
        <Field id={`place-${index}`} label="The key travels in">
          <select id={`place-${index}`} {...form.register(`schemes.${index}.place.kind`)}>
            <option value="header">a header</option>
            <option value="cookie">a cookie</option>
            <option value="query">the query</option>
          </select>
        </Field>
        <Field id={`place-name-${index}`} label="called" error={errors?.name}>
          <input id={`place-name-${index}`} className="mono" {...form.register(`schemes.${index}.place.name`)} />
        </Field>
        {kind === 'header' && (
          <Field id={`place-scheme-${index}`} label="behind the word" error={errors?.scheme}>
            <input
              id={`place-scheme-${index}`}
              className="mono"
              placeholder="none"
              {...form.register(`schemes.${index}.place.scheme`, { setValueAs: (value: string | null) => value || null })}
            />
          </Field>
        )}
      </div>
      {errors && !errors.name && !errors.scheme && (
        <span className="error" role="alert">
          {String((errors as { readonly message?: unknown }).message ?? 'This place cannot be used')}
        </span>
      )}
      {kind === 'query' && <div className="ochre small">Addresses end up in logs, histories and referrers, and the keys with them.</div>}
    </div>
  );
}

function Providers({ scheme, index, form, providers }: MetByProps) {
  const bind = (id: string, on: boolean) =>
    form.setValue(`schemes.${index}.providers`, on ? [...scheme.providers, id] : scheme.providers.filter((item) => item !== id), { shouldDirty: true });
  return (
    <>
      {providers.length === 0 && (
        <div className="small">
          No provider is trusted yet. <Link to="/providers/new">Trust one</Link>
        </div>
      )}
      {scheme.metadataUrl && scheme.providers.length === 0 && (
        <div className="small">
          The contract names <Copyable text={scheme.metadataUrl} />{' '}
          <Link to={`/providers/new?issuer=${encodeURIComponent(scheme.metadataUrl.replace(/\/\.well-known\/openid-configuration$/, ''))}`}>
            look at this provider
          </Link>
        </div>
      )}
      {providers.map((provider) => (
        <label key={provider.id} className="check">
          <input type="checkbox" checked={scheme.providers.includes(provider.id)} onChange={(event) => bind(provider.id, event.target.checked)} /> tokens of{' '}
          {provider.name}
        </label>
      ))}
    </>
  );
}
