import { takesTokens, type SchemeType } from '@virga/core';
import type { AccessDto, AlternativeDto, ApiView, RequirementDto } from '@virga/protocol';
import { useState } from 'react';
import { Link } from 'react-router';
import { TextList } from '../../parts/text-list';
import { onlyOne, RuleDialog, subjectWords, type RuleSubject } from './rule-dialog';

const PROOFS: Readonly<Record<SchemeType, string>> = {
  oauth2: 'a token',
  openIdConnect: 'a token',
  'http-bearer': 'a token',
  apiKey: 'a key',
  'http-basic': 'name and secret',
  mutualTLS: 'a client certificate',
  unsupported: 'what nobody can prove,',
};

type Kind = 'inherit' | 'public' | 'required';

/** Says who may call: for the API by default, or for chosen operations. */
export function AccessDialog(subject: RuleSubject) {
  const { api, operations, onClose } = subject;
  const before = operations === null ? api.access : (onlyOne(subject)?.access ?? null);
  const [kind, setKind] = useState<Kind | null>(before === null ? (operations?.length === 1 ? 'inherit' : null) : before.kind === 'open' ? null : before.kind);
  const [alternatives, setAlternatives] = useState<AlternativeDto[]>(() =>
    before?.alternatives && before.alternatives.length > 0 ? before.alternatives : [{ schemes: [freshRequirement(api)] }],
  );
  const access: AccessDto | null = kind === 'required' ? { kind, alternatives } : kind === 'public' ? { kind } : null;
  const noScheme = api.schemes.length === 0;
  return (
    <RuleDialog
      subject={subject}
      title={`Who may call ${subjectWords(subject)}${operations === null ? ' by default' : ''}`}
      patch={kind === null ? null : { access }}
    >
      <div className="stack" role="radiogroup" aria-label="Who may call" style={{ gap: 6 }}>
        {operations !== null && (
          <label className="check">
            <input type="radio" name="kind" checked={kind === 'inherit'} onChange={() => setKind('inherit')} /> as the API says
          </label>
        )}
        <label className="check">
          <input type="radio" name="kind" checked={kind === 'public'} onChange={() => setKind('public')} /> anyone: this is meant to be public
        </label>
        <label className="check">
          <input type="radio" name="kind" checked={kind === 'required'} onChange={() => setKind('required')} disabled={noScheme} /> whoever proves who calls
          {noScheme && (
            <span className="quiet">
              {' '}
              (the API has no security scheme;{' '}
              <Link to={`/apis/${api.id}/access`} onClick={onClose}>
                add one
              </Link>{' '}
              first)
            </span>
          )}
        </label>
      </div>
      {kind === 'required' && <Alternatives api={api} value={alternatives} onChange={setAlternatives} />}
    </RuleDialog>
  );
}

/** A requirement to begin with: the first scheme that can be proved. */
const freshRequirement = (api: ApiView): RequirementDto => ({
  scheme: (api.schemes.find((scheme) => scheme.type !== 'unsupported') ?? api.schemes[0])?.name ?? '',
  scopes: [],
  match: 'all',
});

function Alternatives({
  api,
  value,
  onChange,
}: {
  readonly api: ApiView;
  readonly value: readonly AlternativeDto[];
  readonly onChange: (value: AlternativeDto[]) => void;
}) {
  const replace = (index: number, alternative: AlternativeDto) => onChange(value.map((item, at) => (at === index ? alternative : item)));
  const fresh = (): RequirementDto => freshRequirement(api);
  return (
    <div className="stack">
      {value.map((alternative, index) => (
        <div key={index} className="stack" style={{ gap: 8, borderLeft: '2px solid var(--hairline)', paddingLeft: 12 }}>
          {index > 0 && <b>or</b>}
          {alternative.schemes.length === 0 && <span className="ochre">nobody in particular: anonymous calls are enough</span>}
          {alternative.schemes.map((requirement, position) => (
            <Requirement
              key={position}
              api={api}
              first={position === 0}
              value={requirement}
              onChange={(next) => replace(index, { schemes: alternative.schemes.map((item, at) => (at === position ? next : item)) })}
              onRemove={() => replace(index, { schemes: alternative.schemes.filter((_, at) => at !== position) })}
            />
          ))}
          <div className="row small">
            <button type="button" className="link" onClick={() => replace(index, { schemes: [...alternative.schemes, fresh()] })}>
              and another scheme
            </button>
            {value.length > 1 && (
              <button type="button" className="link rust" onClick={() => onChange(value.filter((_, at) => at !== index))}>
                drop this alternative
              </button>
            )}
          </div>
        </div>
      ))}
      <button type="button" className="link small" onClick={() => onChange([...value, { schemes: [fresh()] }])}>
        or another alternative
      </button>
    </div>
  );
}

function Requirement({
  api,
  value,
  first,
  onChange,
  onRemove,
}: {
  readonly api: ApiView;
  readonly value: RequirementDto;
  readonly first: boolean;
  readonly onChange: (value: RequirementDto) => void;
  readonly onRemove: () => void;
}) {
  const [typed, setTyped] = useState('');
  const scheme = api.schemes.find((item) => item.name === value.scheme);
  // Only tokens have scopes; a contract may list roles in their place, which are shown as they are.
  const asksScopes = scheme === undefined || takesTokens(scheme.type) || value.scopes.length > 0;
  const known = api.resource.scopes.map((scope) => scope.name).filter((name) => !value.scopes.includes(name));
  const add = (scope: string) => {
    if (scope !== '' && !value.scopes.includes(scope)) onChange({ ...value, scopes: [...value.scopes, scope] });
    setTyped('');
  };
  return (
    <div className="stack" style={{ gap: 6 }}>
      <div className="row wrap">
        {!first && <b>and</b>}
        <span>{PROOFS[scheme?.type ?? 'unsupported']} of scheme</span>
        <select
          aria-label="Security scheme"
          className="plain"
          style={{ width: 'auto' }}
          value={value.scheme}
          onChange={(event) => onChange({ ...value, scheme: event.target.value })}
        >
          {api.schemes.map((item) => (
            <option key={item.name}>{item.name}</option>
          ))}
        </select>
        {asksScopes && (
          <>
            <span>with</span>
            <select
              aria-label="All or any of the scopes"
              className="plain"
              style={{ width: 'auto' }}
              value={value.match}
              onChange={(event) => onChange({ ...value, match: event.target.value as 'all' | 'any' })}
            >
              <option value="all">all of the scopes</option>
              <option value="any">any of the scopes</option>
            </select>
          </>
        )}
        <button type="button" className="link small" onClick={onRemove}>
          drop
        </button>
      </div>
      {scheme?.type === 'unsupported' && <span className="rust small">{scheme.declared} is not checked yet: nobody can meet it.</span>}
      {scheme && takesTokens(scheme.type) && scheme.providers.length === 0 && (
        <span className="rust small">No provider is bound to {scheme.name}: nobody can meet it. Bind one under “Scopes and audience”.</span>
      )}
      <div className="row wrap" style={{ gap: 4, display: asksScopes ? undefined : 'none' }}>
        {value.scopes.map((scope) => (
          <button
            type="button"
            key={scope}
            className="chip"
            style={{ background: 'none', color: 'inherit', cursor: 'pointer' }}
            title="Drop"
            aria-label={`Drop scope ${scope}`}
            onClick={() => onChange({ ...value, scopes: value.scopes.filter((item) => item !== scope) })}
          >
            {scope} ×
          </button>
        ))}
        <input
          aria-label="Add a scope"
          className="plain mono"
          style={{ width: 220 }}
          list={`scopes-${api.id}`}
          value={typed}
          placeholder={value.scopes.length === 0 ? 'no scope needed; type one to add' : 'add a scope'}
          onChange={(event) => (known.includes(event.target.value) ? add(event.target.value) : setTyped(event.target.value))}
          onBlur={() => add(typed.trim())}
          onKeyDown={(event) => {
            if (event.key !== 'Enter') return;
            event.preventDefault();
            add(typed.trim());
          }}
        />
        <datalist id={`scopes-${api.id}`}>
          {known.map((name) => (
            <option key={name}>{name}</option>
          ))}
        </datalist>
      </div>
      <label className="row small" style={{ gap: 6 }}>
        <span className="quiet" style={{ whiteSpace: 'nowrap' }}>
          and one of the roles
        </span>
        <TextList id={`roles-${value.scheme}`} value={value.roles ?? []} onChange={(roles) => onChange({ ...value, roles })} placeholder="no role needed" />
      </label>
    </div>
  );
}
