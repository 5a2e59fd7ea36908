import Button from '@mui/material/Button';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import { useSnackbar } from 'notistack';
import { Link } from 'react-router';
import { api } from '../../client/api';
import { siteQuery, useSession } from '../../client/site';
import { Input, valuesOf } from './fields';

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
    </div>
  );
}
