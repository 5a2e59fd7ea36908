import Button from '@mui/material/Button';
import { useMutation, useQuery } from '@tanstack/react-query';
import { Copyable, Field, ProblemNotice } from '@virga/parts';
import type { GrantInput, GrantKind, GrantView } from '@virga/protocol';
import { useContext, useEffect, useState } from 'react';
import { useNavigate } from 'react-router';
import { api } from '../../client/api';
import { TextList } from '../../parts/text-list';
import { providersQuery } from '../providers/queries';
import { BenchContext } from './bench-state';
import { ExchangeList } from './exchange-list';
import { grantQuery } from './queries';

const GRANTS: Readonly<Record<GrantKind, string>> = {
  client_credentials: 'client credentials: a program for itself',
  authorization_code: 'authorization code with PKCE: a person, at the provider’s page',
  refresh_token: 'refresh token',
  device_code: 'device code: a person, on another device (RFC 8628)',
  token_exchange: 'token exchange (RFC 8693)',
  password: 'password, for old providers',
  implicit: 'implicit, for old providers',
};
const EMPTY: GrantInput = { providerId: '', grant: 'client_credentials', clientId: '', scopes: [] };

/** A token by any grant, with every exchange shown. */
export function GetTab() {
  const [input, setInput] = useState<GrantInput>(EMPTY);
  const [id, setId] = useState<string | null>(null);
  const begin = useMutation({
    mutationFn: () => api.post<GrantView>('/bench/grants', clean(input)),
    onSuccess: (view) => {
      setId(view.state === 'waiting' ? view.id : null);
      if (view.goTo && input.grant !== 'device_code') window.open(view.goTo, 'virga-sign-in', 'width=520,height=640');
    },
  });
  const followed = useQuery({ ...grantQuery(id ?? ''), enabled: id !== null });
  const { refetch } = followed;
  useEffect(() => {
    const channel = new BroadcastChannel('virga-sign-in');
    channel.onmessage = () => void refetch();
    return () => channel.close();
  }, [refetch]);
  const view = (id !== null ? followed.data : null) ?? begin.data;
  return (
    <div className="columns bench">
      <GrantForm
        input={input}
        set={(change) => setInput({ ...input, ...change })}
        pending={begin.isPending}
        error={begin.error}
        onBegin={() => begin.mutate()}
      />
      <section className="stack" aria-live="polite">
        {!view && <p className="quiet">What is said on both sides stands here, secrets masked, each request as a curl line. Nothing of it is stored.</p>}
        {view && <Progress view={view} />}
      </section>
    </div>
  );
}

/** Members that are empty are left out. */
const clean = (input: GrantInput): GrantInput => Object.fromEntries(Object.entries(input).filter(([, value]) => value !== '')) as unknown as GrantInput;

function GrantForm({
  input,
  set,
  pending,
  error,
  onBegin,
}: {
  readonly input: GrantInput;
  readonly set: (change: Partial<GrantInput>) => void;
  readonly pending: boolean;
  readonly error: unknown;
  readonly onBegin: () => void;
}) {
  const { data: providers } = useQuery(providersQuery);
  const { token } = useContext(BenchContext);
  const text = (id: keyof GrantInput, label: string, hint?: string, secret = false) => (
    <Field id={`grant-${id}`} label={label} hint={hint}>
      <input
        id={`grant-${id}`}
        className="mono"
        type={secret ? 'password' : 'text'}
        autoComplete="off"
        value={input[id] ?? ''}
        onChange={(event) => set({ [id]: event.target.value })}
      />
    </Field>
  );
  return (
    <form
      className="stack"
      onSubmit={(event) => {
        event.preventDefault();
        onBegin();
      }}
    >
      <Field id="grant-provider" label="Provider">
        <select id="grant-provider" value={input.providerId} onChange={(event) => set({ providerId: event.target.value })}>
          <option value="">choose one</option>
          {(providers?.items ?? []).map((item) => (
            <option key={item.id} value={item.id}>
              {item.name}
            </option>
          ))}
        </select>
      </Field>
      <Field id="grant-kind" label="Grant">
        <select id="grant-kind" value={input.grant} onChange={(event) => set({ grant: event.target.value as GrantKind })}>
          {Object.entries(GRANTS).map(([kind, words]) => (
            <option key={kind} value={kind}>
              {words}
            </option>
          ))}
        </select>
      </Field>
      {(input.grant === 'password' || input.grant === 'implicit') && (
        <div className="notice">RFC 9700 advises against this grant. It is here for providers that offer nothing else.</div>
      )}
      <div className="row fields" style={{ alignItems: 'start' }}>
        {text('clientId', 'Client id')}
        {input.grant !== 'implicit' && text('clientSecret', 'Client secret', 'used once, not kept; empty for a public client', true)}
      </div>
      <Field id="grant-scopes" label="Scopes">
        <TextList id="grant-scopes" value={input.scopes} onChange={(scopes) => set({ scopes })} placeholder="openid gates:read" />
      </Field>
      {text('resource', 'For the API with this identifier (resource, RFC 8707)')}
      {input.grant === 'refresh_token' && text('refreshToken', 'Refresh token', 'taken once: a proper provider gives a new one', true)}
      {input.grant === 'token_exchange' && (
        <>
          {text('subjectToken', 'Token that is exchanged', undefined, true)}
          {token !== '' && (
            <button type="button" className="link small" onClick={() => set({ subjectToken: token })}>
              take the one on the bench
            </button>
          )}
          {text('audience', 'Audience')}
        </>
      )}
      {input.grant === 'password' && (
        <div className="row fields">
          {text('userName', 'User’s name')}
          {text('password', 'User’s password', undefined, true)}
        </div>
      )}
      <ProblemNotice error={error} />
      <div>
        <Button type="submit" variant="contained" disabled={input.providerId === '' || input.clientId === '' || pending}>
          {pending ? 'Asking…' : 'Get it'}
        </Button>
      </div>
    </form>
  );
}

function Progress({ view }: { readonly view: GrantView }) {
  const { set } = useContext(BenchContext);
  const navigate = useNavigate();
  const read = (token: string) => {
    set({ paste: token, token, proof: '' });
    void navigate('/bench');
  };
  const tokens = [
    ['access token', view.accessToken],
    ['ID token', view.idToken],
    ['refresh token', view.refreshToken],
  ] as const;
  return (
    <>
      <div className={{ waiting: 'notice', done: 'notice fine', failed: 'notice wrong' }[view.state]}>
        {view.says}.
        {view.state === 'waiting' && view.goTo && (
          <div>
            <a href={view.goTo} target="virga-sign-in">
              Open the provider’s page
            </a>
            {view.userCode && (
              <>
                {' '}
                and enter <b className="mono">{view.userCode}</b>
              </>
            )}
          </div>
        )}
      </div>
      {view.warnings.map((warning) => (
        <div key={warning} className="notice">
          {warning}
        </div>
      ))}
      {tokens.map(([name, token]) =>
        token === null ? null : (
          <div key={name} className="row">
            <b style={{ width: 110 }}>{name}</b>
            <span className="mono clip grow">{token}</span>
            <Copyable text={token} shown="copy" />
            {name !== 'refresh token' && (
              <button className="link" onClick={() => read(token)}>
                read and verify
              </button>
            )}
          </div>
        ),
      )}
      {view.pkce && (
        <dl className="facts small">
          <dt>PKCE verifier</dt>
          <dd className="mono">{view.pkce.verifier}</dd>
          <dt>challenge ({view.pkce.method})</dt>
          <dd className="mono">{view.pkce.challenge}</dd>
        </dl>
      )}
      <ExchangeList exchanges={view.exchanges} />
    </>
  );
}
