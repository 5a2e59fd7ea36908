import { compileClaimMap, ConfigError, MAPPED_MEMBERS, readToken, stranger, UnreadToken, type MappedMember, type Principal } from '@virga/core';
import { Field } from '@virga/parts';
import type { AttributeSourceDto, ClaimMapDto, ClaimSourceDto, ProviderView } from '@virga/protocol';
import { useState } from 'react';
import { TextList } from '../../parts/text-list';

const WORDS: Readonly<Record<MappedMember, string>> = {
  subject: 'Subject',
  client: 'Client',
  scopes: 'Scopes',
  roles: 'Roles',
  groups: 'Groups',
  tenant: 'Tenant',
  acr: 'Sign-in strength',
  amr: 'Sign-in means',
  authTime: 'Signed in at',
};

const FRESH: ClaimSourceDto = { paths: [], split: 'none', stripPrefixes: [], table: [], unlisted: 'keep', fallback: [] };
const SAMPLE =
  '{\n  "sub": "registry-sync",\n  "scp": ["gates:read"],\n  "org": "state-water",\n  "registry": { "access": { "roles": ["partner-agency"] } }\n}';

/** How a provider's claims become a principal, with the principal that a sample makes beside it. */
export function ClaimMapEditor({
  provider,
  value,
  onChange,
}: {
  readonly provider: ProviderView;
  readonly value: ClaimMapDto;
  readonly onChange: (value: ClaimMapDto) => void;
}) {
  const [open, setOpen] = useState<string | null>(null);
  const attributes = value.attributes;
  const setAttribute = (index: number, change: Partial<AttributeSourceDto>) =>
    onChange({ ...value, attributes: attributes.map((item, at) => (at === index ? { ...item, ...change } : item)) });
  return (
    <div className="columns">
      <div>
        <table className="list">
          <thead>
            <tr>
              <th>Principal</th>
              <th>comes from the claim</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {MAPPED_MEMBERS.map((member) => (
              <Row
                key={member}
                name={WORDS[member]}
                source={value[member]}
                open={open === member}
                onToggle={() => setOpen(open === member ? null : member)}
                onChange={(change) => onChange({ ...value, [member]: { ...value[member], ...change } })}
              />
            ))}
            {attributes.map((attribute, index) => (
              <Row
                key={index}
                name={attribute.name}
                onName={(name) => setAttribute(index, { name })}
                source={attribute}
                open={open === `own ${index}`}
                onToggle={() => setOpen(open === `own ${index}` ? null : `own ${index}`)}
                onChange={(change) => setAttribute(index, change)}
                onDrop={() => onChange({ ...value, attributes: attributes.filter((_, at) => at !== index) })}
              />
            ))}
          </tbody>
        </table>
        <button
          type="button"
          className="link"
          onClick={() => onChange({ ...value, attributes: [...attributes, { ...FRESH, name: `attribute${attributes.length + 1}`, paths: ['claim'] }] })}
        >
          add an attribute of your own
        </button>
        <p className="quiet small">
          A path that begins with a slash leads into a claim, as /registry/access/roles; anything else is the claim’s name. The first that yields a value
          counts.
        </p>
      </div>
      <Preview provider={provider} map={value} />
    </div>
  );
}

function Row({
  name,
  source,
  open,
  onToggle,
  onChange,
  onName,
  onDrop,
}: {
  readonly name: string;
  readonly source: ClaimSourceDto;
  readonly open: boolean;
  readonly onToggle: () => void;
  readonly onChange: (change: Partial<ClaimSourceDto>) => void;
  readonly onName?: (name: string) => void;
  readonly onDrop?: () => void;
}) {
  const id = `map-${name}`;
  return (
    <>
      <tr>
        <td>
          {onName ? (
            <input
              aria-label="Name of the attribute"
              className="mono plain"
              style={{ width: 110 }}
              value={name}
              onChange={(event) => onName(event.target.value)}
            />
          ) : (
            name
          )}
        </td>
        <td>
          <div className="field">
            <TextList id={id} value={source.paths} onChange={(paths) => onChange({ paths })} separator={/\s*,\s*/} placeholder="not read" />
            <label htmlFor={id} style={{ position: 'absolute', left: -9999 }}>
              {name} comes from
            </label>
          </div>
        </td>
        <td className="small" style={{ whiteSpace: 'nowrap' }}>
          <button type="button" className="link" aria-expanded={open} onClick={onToggle}>
            {open ? 'less' : isPlain(source) ? 'more' : 'more, set'}
          </button>
          {onDrop && (
            <>
              {' '}
              <button type="button" className="link" onClick={onDrop}>
                drop
              </button>
            </>
          )}
        </td>
      </tr>
      {open && (
        <tr>
          <td colSpan={3}>
            <More id={id} source={source} onChange={onChange} />
          </td>
        </tr>
      )}
    </>
  );
}

const isPlain = (source: ClaimSourceDto): boolean =>
  source.stripPrefixes.length === 0 && source.table.length === 0 && source.unlisted === 'keep' && source.fallback.length === 0;

function More({
  id,
  source,
  onChange,
}: {
  readonly id: string;
  readonly source: ClaimSourceDto;
  readonly onChange: (change: Partial<ClaimSourceDto>) => void;
}) {
  const [table, setTable] = useState(() => source.table.map((row) => `${row.from} = ${row.to.join(', ')}`).join('\n'));
  const readTable = () =>
    onChange({
      table: table.split('\n').flatMap((line) => {
        const [from = '', to = ''] = line.split(/\s*=\s*/);
        return from.trim() === ''
          ? []
          : [
              {
                from: from.trim(),
                to: to
                  .split(/\s*,\s*/)
                  .map((item) => item.trim())
                  .filter(Boolean),
              },
            ];
      }),
    });
  return (
    <div className="stack" style={{ paddingLeft: 14 }}>
      <Field id={`${id}-split`} label="A text with several values is split">
        <select id={`${id}-split`} value={source.split} onChange={(event) => onChange({ split: event.target.value as ClaimSourceDto['split'] })}>
          <option value="none">not at all</option>
          <option value="space">at blanks</option>
          <option value="comma">at commas</option>
        </select>
      </Field>
      <Field id={`${id}-strip`} label="Prefixes taken off" hint="as https://api.example/ or api:">
        <TextList id={`${id}-strip`} value={source.stripPrefixes} onChange={(stripPrefixes) => onChange({ stripPrefixes })} />
      </Field>
      <Field id={`${id}-table`} label="Values that stand for others, one a line" hint="as: group-17 = rider, staff">
        <textarea id={`${id}-table`} className="mono" rows={3} value={table} onChange={(event) => setTable(event.target.value)} onBlur={readTable} />
      </Field>
      <label className="check">
        <input type="checkbox" checked={source.unlisted === 'drop'} onChange={(event) => onChange({ unlisted: event.target.checked ? 'drop' : 'keep' })} />{' '}
        values that no line names are dropped
      </label>
      <Field id={`${id}-fallback`} label="Used when nothing was found">
        <TextList id={`${id}-fallback`} value={source.fallback} onChange={(fallback) => onChange({ fallback })} />
      </Field>
    </div>
  );
}

/** The principal that a sample makes, by the code that the gateway runs. */
function Preview({ provider, map }: { readonly provider: ProviderView; readonly map: ClaimMapDto }) {
  const [sample, setSample] = useState(SAMPLE);
  const made = principalOf(sample, provider, map);
  return (
    <div className="stack">
      <Field id="sample" label="A sample: claims as JSON, or a token" hint="It stays in this page" error={typeof made === 'string' ? made : ''}>
        <textarea id="sample" className="mono" rows={7} spellCheck={false} value={sample} onChange={(event) => setSample(event.target.value)} />
      </Field>
      {typeof made !== 'string' && <PrincipalFacts principal={made} />}
    </div>
  );
}

/** Every member of a principal, by name. */
export function PrincipalFacts({ principal }: { readonly principal: Readonly<Record<string, unknown>> | Principal }) {
  const { providerId: _id, attributes, ...rest } = principal as Principal;
  const rows = [...Object.entries(rest), ...Object.entries(attributes)] as [string, unknown][];
  return (
    <dl className="facts" aria-label="Principal">
      {rows.map(([name, value]) => (
        <div key={name} style={{ display: 'contents' }}>
          <dt>{PRINCIPAL_WORDS[name] ?? name}</dt>
          <dd className="mono">{said(value)}</dd>
        </div>
      ))}
    </dl>
  );
}

const PRINCIPAL_WORDS: Readonly<Record<string, string>> = {
  providerName: 'provider',
  acr: 'sign-in strength',
  amr: 'sign-in means',
  authTime: 'signed in',
};

function said(value: unknown) {
  if (value === null || (Array.isArray(value) && value.length === 0)) return <span className="quiet">none</span>;
  return Array.isArray(value) ? value.join(', ') : String(value);
}

function principalOf(sample: string, provider: ProviderView, map: ClaimMapDto): Principal | string {
  const text = sample.trim();
  let claims: unknown;
  if (text.startsWith('{')) {
    try {
      claims = JSON.parse(text);
    } catch (error) {
      return `This is no JSON: ${(error as Error).message}`;
    }
  } else {
    const read = readToken(text.replace(/^bearer\s+/i, ''));
    if (read instanceof UnreadToken) return 'Paste claims as a JSON object, or a signed JWT';
    claims = read.claims;
  }
  try {
    const { rule } = stranger(provider.issuer);
    return compileClaimMap({ ...rule, id: provider.id, name: provider.name, claimMap: map })(claims as Record<string, unknown>);
  } catch (error) {
    if (error instanceof ConfigError) return error.message;
    throw error;
  }
}
