import Button from '@mui/material/Button';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { Confirm, ProblemNotice } from '@virga/parts';
import { useSnackbar } from 'notistack';
import { useState } from 'react';
import { Link } from 'react-router';
import { api } from '../../client/api';
import { siteQuery, useSession } from '../../client/site';
import { Input, valuesOf } from './fields';
import { useGoOn } from './signed-in';

/** One's own account. */
export function Account() {
  const session = useSession();
  const client = useQueryClient();
  const { enqueueSnackbar } = useSnackbar();
  const save = useMutation({
    mutationFn: (patch: Record<string, string>) => api.patch('/account', patch),
    onSuccess: async () => {
      enqueueSnackbar('Kept');
      await client.invalidateQueries(siteQuery);
    },
  });
  const password = useMutation({
    mutationFn: async (form: HTMLFormElement) => {
      await api.patch('/account', valuesOf(form));
      form.reset();
    },
    onSuccess: () => enqueueSnackbar('The password is changed; elsewhere you are signed out'),
  });
  if (!session || session.looks)
    return (
      <p>
        <Link to="/sign-in">Sign in first</Link>
      </p>
    );
  return (
    <div className="stack narrow-page" style={{ gap: 26 }}>
      <h1>Your account</h1>
      <form
        className="stack"
        onSubmit={(event) => {
          event.preventDefault();
          save.mutate(valuesOf(event.currentTarget));
        }}
      >
        <p style={{ margin: 0 }}>
          Signed in as <b className="breaks">{session.name}</b>
          {session.teams.length > 0 && `, of ${session.teams.map(({ name }) => name).join(', ')}`}
        </p>
        <Input name="shownName" label="What you are called" defaultValue={session.shownName} maxLength={100} error={save.error} />
        <ProblemNotice error={save.error} />
        <div>
          <Button type="submit" variant="contained" disabled={save.isPending}>
            Keep it
          </Button>
        </div>
      </form>
      {session.hasPassword && (
        <form
          className="stack"
          onSubmit={(event) => {
            event.preventDefault();
            password.mutate(event.currentTarget);
          }}
        >
          <h2>Change the password</h2>
          <Input name="oldPassword" label="The one that it is" type="password" autoComplete="current-password" error={password.error} />
          <Input
            name="password"
            label="The new one"
            hint="At least 10 characters"
            type="password"
            autoComplete="new-password"
            minLength={10}
            maxLength={200}
            error={password.error}
          />
          <ProblemNotice error={password.error} />
          <div>
            <Button type="submit" variant="contained" disabled={password.isPending}>
              Change it
            </Button>
          </div>
        </form>
      )}
      <Leave hasPassword={session.hasPassword} />
    </div>
  );
}

/** Takes the account away, once that was asked twice. */
function Leave({ hasPassword }: { readonly hasPassword: boolean }) {
  const goOn = useGoOn();
  const { enqueueSnackbar } = useSnackbar();
  const [given, setGiven] = useState<Record<string, string> | null>(null);
  const leave = useMutation({
    mutationFn: (values: Record<string, string>) => api.post('/account/removal', values),
    onSuccess: async () => {
      enqueueSnackbar('Your account is gone');
      await goOn('/');
    },
    onSettled: () => setGiven(null),
  });
  return (
    <form
      className="stack"
      onSubmit={(event) => {
        event.preventDefault();
        setGiven(valuesOf(event.currentTarget));
      }}
    >
      <h2>Take the account away</h2>
      <p style={{ margin: 0 }} className="quiet">
        Your teams keep their programs and keys. A team of yours alone that has none goes with you.
      </p>
      {/* Another form has a field of that name. */}
      {hasPassword && <Input id="leaving-password" name="password" label="Your password" type="password" autoComplete="current-password" error={leave.error} />}
      <ProblemNotice error={leave.error} />
      <div>
        <Button type="submit" color="error" variant="outlined" disabled={leave.isPending}>
          Take it away
        </Button>
      </div>
      {given && (
        <Confirm title="Take your account away" action="Take it away" onYes={() => leave.mutate(given)} onNo={() => setGiven(null)}>
          You are signed out everywhere, and nobody can bring it back.
        </Confirm>
      )}
    </form>
  );
}
