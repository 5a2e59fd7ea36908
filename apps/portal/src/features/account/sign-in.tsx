import Button from '@mui/material/Button';
import { useMutation } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import { Link, useSearchParams } from 'react-router';
import { api } from '../../client/api';
import { useSite } from '../../client/site';
import { Input, valuesOf } from './fields';
import { ProviderButtons } from './providers';
import { useGoOn } from './signed-in';

export function SignIn() {
  const { registration, contact } = useSite();
  const [query] = useSearchParams();
  const goOn = useGoOn();
  const signIn = useMutation({
    mutationFn: (form: HTMLFormElement) => api.post('/session', valuesOf(form)),
    onSuccess: () => goOn(query.get('back') ?? '/'),
  });
  return (
    <div className="stack narrow-page">
      <h1>Sign in</h1>
      <ProviderButtons />
      <form
        className="stack"
        onSubmit={(event) => {
          event.preventDefault();
          signIn.mutate(event.currentTarget);
        }}
      >
        <Input name="name" label="Name" autoComplete="username" autoFocus error={signIn.error} />
        <Input name="password" label="Password" type="password" autoComplete="current-password" error={signIn.error} />
        <ProblemNotice error={signIn.error} />
        <Button type="submit" variant="contained" disabled={signIn.isPending}>
          Sign in
        </Button>
      </form>
      <p className="quiet">
        {registration === 'closed' ? (
          `Accounts are made by invitation.${contact === '' ? '' : ` Ask ${contact}.`}`
        ) : (
          <Link to="/register">Make an account</Link>
        )}
      </p>
    </div>
  );
}
