import { Field } from '@virga/parts';
import { ALL_ALGORITHMS, type ClaimDemandDto, type TokenOverrideDto, type TokenPlaceDto } from '@virga/protocol';
import type { ReactNode } from 'react';
import { TextList } from '../../parts/text-list';

/** The members of a token rule that have a field of their own, in the order in which tokens meet them. */
export const TOKEN_MEMBERS = [
  'places',
  'type',
  'audiences',
  'algorithms',
  'clients',
  'leewaySeconds',
  'maxAgeSeconds',
  'claims',
  'stepUp',
  'dpop',
  'certificate',
] as const;
export type TokenMember = (typeof TOKEN_MEMBERS)[number];

/** How each is called. */
export const MEMBER_NAMES: Readonly<Record<TokenMember, string>> = {
  places: 'Where the token travels',
  type: 'Type of token',
  audiences: 'Audiences: one of these must be in aud',
  algorithms: 'Algorithms, narrower than the provider’s',
  clients: 'Clients whose tokens are taken',
  leewaySeconds: 'Leeway for clocks, seconds',
  maxAgeSeconds: 'Longest time since it was issued, seconds',
  claims: 'Claims that must be there',
  stepUp: 'How strongly and lately the user signed in (RFC 9470)',
  dpop: 'Proof of possession by DPoP (RFC 9449)',
  certificate: 'Binding to a client certificate (RFC 8705)',
};

export interface MemberProps {
  readonly id: string;
  readonly rule: TokenOverrideDto;
  readonly set: (change: TokenOverrideDto) => void;
  readonly error?: object | string | undefined;
}

/** The field of one member of a token rule. */
export function TokenField({ member, ...props }: MemberProps & { readonly member: TokenMember }) {
  const { id, rule, set, error } = props;
  const field = (children: ReactNode, hint?: ReactNode) => (
    <Field id={id} label={MEMBER_NAMES[member]} hint={hint} error={error ?? ''}>
      {children}
    </Field>
  );
  switch (member) {
    case 'places':
      return <Places {...props} />;
    case 'type':
      return field(
        <input id={id} className="mono" list={`${id}-known`} value={rule.type ?? ''} onChange={(event) => set({ type: event.target.value })} />,
        <>
          at+jwt asks for RFC 9068; ANY_TYPE takes any that is not an ID token
          <datalist id={`${id}-known`}>
            <option>at+jwt</option>
            <option>ANY_TYPE</option>
          </datalist>
        </>,
      );
    case 'audiences':
      return <Audiences {...props} />;
    case 'algorithms':
      return <Algorithms {...props} />;
    case 'clients':
      return field(
        <TextList id={id} value={rule.clients ?? []} onChange={(clients) => set({ clients })} placeholder="those of any client" />,
        'Compared with client_id or azp, as the claim map reads them',
      );
    case 'leewaySeconds':
      return field(
        <MaybeNumber id={id} value={rule.leewaySeconds} onChange={(leewaySeconds) => set({ leewaySeconds })} placeholder="as the provider" />,
        '0 to 300',
      );
    case 'maxAgeSeconds':
      return field(<MaybeNumber id={id} value={rule.maxAgeSeconds} onChange={(maxAgeSeconds) => set({ maxAgeSeconds })} placeholder="any age" />);
    case 'claims':
      return <Claims {...props} />;
    case 'stepUp':
      return <StepUp {...props} />;
    case 'dpop':
      return <Dpop {...props} />;
    case 'certificate':
      return field(
        <select id={id} value={rule.certificate ?? 'if-bound'} onChange={(event) => set({ certificate: event.target.value as 'if-bound' | 'required' })}>
          <option value="if-bound">where the token is bound to one</option>
          <option value="required">always</option>
        </select>,
        'Through the gateway’s TLS listener, or a header of a trusted hop (Settings)',
      );
  }
}

function MaybeNumber({
  id,
  value,
  onChange,
  placeholder,
}: {
  readonly id: string;
  readonly value: number | null | undefined;
  readonly onChange: (value: number | null) => void;
  readonly placeholder: string;
}) {
  return (
    <input
      id={id}
      type="number"
      value={value ?? ''}
      placeholder={placeholder}
      onChange={(event) => onChange(event.target.value === '' ? null : Number(event.target.value))}
    />
  );
}

function Places({ id, rule, set, error }: MemberProps) {
  const places = rule.places ?? [];
  const replace = (index: number, change: Partial<TokenPlaceDto>) =>
    set({ places: places.map((place, at) => (at === index ? { ...place, ...change } : place)) });
  return (
    <div className="field" role="group" aria-label={MEMBER_NAMES.places}>
      <span className="label">{MEMBER_NAMES.places}</span>
      {places.map((place, index) => (
        <div key={index} className="row">
          <select
            aria-label="Kind of place"
            style={{ width: 110 }}
            value={place.kind}
            onChange={(event) => replace(index, { kind: event.target.value as TokenPlaceDto['kind'] })}
          >
            <option value="header">header</option>
            <option value="cookie">cookie</option>
            <option value="query">query</option>
          </select>
          <input aria-label="Name of the place" className="mono" value={place.name} onChange={(event) => replace(index, { name: event.target.value })} />
          {place.kind === 'header' && (
            <input
              aria-label="Word in front of the token"
              className="mono"
              style={{ width: 110 }}
              placeholder="no word"
              value={place.scheme ?? ''}
              onChange={(event) => replace(index, { scheme: event.target.value || null })}
            />
          )}
          {places.length > 1 && (
            <button type="button" className="link small" onClick={() => set({ places: places.filter((_, at) => at !== index) })}>
              drop
            </button>
          )}
        </div>
      ))}
      {places.some((place) => place.kind === 'query') && (
        <div className="notice">
          Tokens in addresses end up in logs, histories and referrers (RFC 6750 section 5.3). Take them there only for callers that can do nothing else.
        </div>
      )}
      {places.length < 4 && (
        <button
          type="button"
          className="link small"
          id={id}
          onClick={() => set({ places: [...places, { kind: 'header', name: 'x-access-token', scheme: null }] })}
        >
          or another place
        </button>
      )}
      {error && <span className="error">A place cannot be used: a header or cookie has a name of letters, digits and dashes, and stands once.</span>}
    </div>
  );
}

function Audiences({ id, rule, set, error }: MemberProps) {
  return (
    <>
      <Field id={id} label={MEMBER_NAMES.audiences} hint="Usually the identifier; some providers spell it otherwise" error={error ?? ''}>
        <TextList
          id={id}
          rows={2}
          value={rule.audiences ?? []}
          onChange={(audiences) => set({ audiences, anyAudience: false })}
          placeholder={rule.anyAudience ? 'not compared' : ''}
        />
      </Field>
      <label className="check">
        <input type="checkbox" checked={rule.anyAudience ?? false} onChange={(event) => set({ anyAudience: event.target.checked })} /> take tokens for any
        audience
      </label>
      {rule.anyAudience && <div className="notice">ANY_AUDIENCE: a token that was issued for another API passes here too.</div>}
    </>
  );
}

function Algorithms({ rule, set }: MemberProps) {
  const chosen = rule.algorithms ?? [];
  return (
    <div className="field" role="group" aria-label={MEMBER_NAMES.algorithms}>
      <span className="label">{MEMBER_NAMES.algorithms}</span>
      <div className="row wrap">
        {ALL_ALGORITHMS.map((name) => (
          <label key={name} className="check mono small">
            <input
              type="checkbox"
              checked={chosen.includes(name)}
              onChange={(event) => set({ algorithms: event.target.checked ? [...chosen, name] : chosen.filter((item) => item !== name) })}
            />
            {name}
          </label>
        ))}
      </div>
      <span className="hint">{chosen.length === 0 ? 'None ticked: as the provider' : 'Only these, and only where the provider takes them too'}</span>
    </div>
  );
}

function Claims({ id, rule, set, error }: MemberProps) {
  const claims = rule.claims ?? [];
  const replace = (index: number, change: Partial<ClaimDemandDto>) => set({ claims: claims.map((item, at) => (at === index ? { ...item, ...change } : item)) });
  return (
    <div className="field" role="group" aria-label={MEMBER_NAMES.claims}>
      <span className="label">{MEMBER_NAMES.claims}</span>
      {claims.map((claim, index) => (
        <div key={index} className="row">
          <input
            aria-label="Claim"
            className="mono"
            style={{ width: 170 }}
            placeholder="org or /a/b"
            value={claim.path}
            onChange={(event) => replace(index, { path: event.target.value })}
          />
          <TextList id={`${id}-${index}`} value={claim.values} onChange={(values) => replace(index, { values })} placeholder="any value; or one of these" />
          <button type="button" className="link small" onClick={() => set({ claims: claims.filter((_, at) => at !== index) })}>
            drop
          </button>
        </div>
      ))}
      <button type="button" className="link small" id={id} onClick={() => set({ claims: [...claims, { path: '', values: [] }] })}>
        demand a claim
      </button>
      {error && <span className="error">Name the claim; a path into another claim begins with a slash.</span>}
    </div>
  );
}

function StepUp({ id, rule, set, error }: MemberProps) {
  const { stepUp } = rule;
  const change = (part: object) => set({ stepUp: { acrValues: [], maxAgeSeconds: null, ...stepUp, ...part } });
  return (
    <div className="field" role="group" aria-label={MEMBER_NAMES.stepUp}>
      <label className="check">
        <input
          type="checkbox"
          checked={stepUp !== null && stepUp !== undefined}
          onChange={(event) => set({ stepUp: event.target.checked ? { acrValues: [], maxAgeSeconds: 900 } : null })}
        />{' '}
        ask how strongly and lately the user signed in (RFC 9470)
      </label>
      {stepUp && (
        <div className="row fields" style={{ alignItems: 'start' }}>
          <Field id={`${id}-acr`} label="acr: one of these" hint="empty: any strength">
            <TextList id={`${id}-acr`} value={stepUp.acrValues} onChange={(acrValues) => change({ acrValues })} />
          </Field>
          <Field id={`${id}-age`} label="at most this many seconds ago" error={error ?? ''}>
            <MaybeNumber id={`${id}-age`} value={stepUp.maxAgeSeconds} onChange={(maxAgeSeconds) => change({ maxAgeSeconds })} placeholder="any time" />
          </Field>
        </div>
      )}
    </div>
  );
}

function Dpop({ id, rule, set, error }: MemberProps) {
  return (
    <>
      <Field id={id} label={MEMBER_NAMES.dpop} error={error ?? ''} hint="A token bound to a key is never taken without its proof, whatever stands here">
        <select id={id} value={rule.dpop ?? 'if-bound'} onChange={(event) => set({ dpop: event.target.value as 'if-bound' | 'required' })}>
          <option value="if-bound">where the token is bound to a key</option>
          <option value="required">always</option>
        </select>
      </Field>
      <label className="check">
        <input type="checkbox" checked={rule.dpopNonce ?? false} onChange={(event) => set({ dpopNonce: event.target.checked })} /> proofs must carry a nonce of
        the gateway
      </label>
    </>
  );
}
