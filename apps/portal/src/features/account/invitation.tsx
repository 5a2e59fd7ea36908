import Button from '@mui/material/Button';
import { useMutation, useQuery } from '@tanstack/react-query';
import { Ago, ProblemNotice } from '@virga/parts';
import type { InvitationView } from '@virga/protocol';
import { useState } from 'react';
import { api } from '../../client/api';
import { secretOfLink } from '../../client/secret-of-link';
import { useSession } from '../../client/site';
import { Input, NewAccount, valuesOf } from './fields';
import { ProviderButtons } from './providers';
import { useGoOn } from './signed-in';

/** Takes an invitation: with a new account, with the one that is signed in, or by a provider. */
export function Invitation() {
  const [token] = useState(secretOfLink);
  const { data, error } = useQuery({
    queryKey: ['invitation', token],
    queryFn: () => api.post<InvitationView>('/invitations/read', { token }),
    enabled: token !== '',
    gcTime: 0,
    staleTime: Number.POSITIVE_INFINITY,
  });
  if (token === '') return <p>The link is not whole. Open it again as it was given to you.</p>;
  if (error) return <ProblemNotice error={error} />;
  if (!data) return <p className="quiet">Reading…</p>;
  return data.kind === 'password' ? <NewPassword token={token} invitation={data} /> : <Join token={token} invitation={data} />;
}

function Join({ token, invitation: { name, role, expiresAt } }: { readonly token: string; readonly invitation: InvitationView }) {
  const session = useSession();
  const goOn = useGoOn();
  const make = useMutation({
    mutationFn: (form: HTMLFormElement) => api.post('/invitations/account', { ...valuesOf(form), token }),
    onSuccess: () => goOn('/'),
  });
  const take = useMutation({ mutationFn: () => api.post('/invitations/own-account', { token }), onSuccess: () => goOn('/team') });
  const own = session && !session.looks;
  return (
    <div className="stack narrow-page">
      <h1 className="breaks">Join {name}</h1>
      <p style={{ margin: 0 }}>
        You are invited as {role === 'owner' ? 'an owner, who can invite others' : 'a member'}. The link is good once and ends <Ago at={expiresAt} />.
      </p>
      {own ? (
        <>
          <ProblemNotice error={take.error} />
          <Button variant="contained" disabled={take.isPending} onClick={() => take.mutate()}>
            Join as {session.shownName}
          </Button>
        </>
      ) : (
        <>
          <ProviderButtons invitation={token} />
          <form
            className="stack"
            onSubmit={(event) => {
              event.preventDefault();
              make.mutate(event.currentTarget);
            }}
          >
            <NewAccount error={make.error} />
            <ProblemNotice error={make.error} />
            <Button type="submit" variant="contained" disabled={make.isPending}>
              Make the account and join
            </Button>
          </form>
        </>
      )}
    </div>
  );
}

function NewPassword({ token, invitation: { name } }: { readonly token: string; readonly invitation: InvitationView }) {
  const goOn = useGoOn();
  const choose = useMutation({
    mutationFn: (form: HTMLFormElement) => api.post('/invitations/password', { ...valuesOf(form), token }),
    onSuccess: () => goOn('/'),
  });
  return (
    <form
      className="stack narrow-page"
      onSubmit={(event) => {
        event.preventDefault();
        choose.mutate(event.currentTarget);
      }}
    >
      <h1>Choose a password</h1>
      <p style={{ margin: 0 }}>
        For <b>{name}</b>. Wherever else this account is signed in, it is signed out.
      </p>
      <Input
        name="password"
        label="Password"
        hint="At least 10 characters"
        type="password"
        autoComplete="new-password"
        minLength={10}
        maxLength={200}
        error={choose.error}
      />
      <ProblemNotice error={choose.error} />
      <Button type="submit" variant="contained" disabled={choose.isPending}>
        Take it
      </Button>
    </form>
  );
}
