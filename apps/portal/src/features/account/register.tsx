import Button from '@mui/material/Button';
import { useMutation } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import { api } from '../../client/api';
import { useSite } from '../../client/site';
import { Input, NewAccount, valuesOf } from './fields';
import { useGoOn } from './signed-in';

/** An account that nobody was invited to. */
export function Register() {
  const { registration } = useSite();
  const goOn = useGoOn();
  const register = useMutation({ mutationFn: (form: HTMLFormElement) => api.post('/registrations', valuesOf(form)), onSuccess: () => goOn('/') });
  if (registration === 'closed') return <p>Accounts are made by invitation here.</p>;
  return (
    <form
      className="stack narrow-page"
      onSubmit={(event) => {
        event.preventDefault();
        register.mutate(event.currentTarget);
      }}
    >
      <h1>Make an account</h1>
      {registration === 'by-hand' && <p className="quiet">The operator looks at it before you can go on.</p>}
      <NewAccount error={register.error} />
      <Input name="team" label="Your team or company" hint="Others of it can be invited afterwards" maxLength={100} error={register.error} />
      <div className="field">
        <label htmlFor="reason">What you want to do here</label>
        <textarea id="reason" name="reason" rows={3} maxLength={1000} />
      </div>
      <ProblemNotice error={register.error} />
      <Button type="submit" variant="contained" disabled={register.isPending}>
        Make it
      </Button>
    </form>
  );
}
