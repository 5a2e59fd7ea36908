import { Field } from '@virga/parts';
import { ApiProblem } from '../../client/api';

/** What is wrong with one field, of an answer; empty for nothing. */
const wrongIn = (error: unknown, name: string): string =>
  error instanceof ApiProblem ? (error.fields.find(({ pointer }) => pointer === `/${name}`)?.detail ?? '') : '';

/** An input of a form that the portal's API checks. */
export function Input({
  name,
  id = name,
  label,
  hint,
  error,
  ...rest
}: {
  readonly name: string;
  /** Where a page has two fields of one name. */
  readonly id?: string;
  readonly label: string;
  readonly hint?: string;
  readonly error: unknown;
} & Omit<React.InputHTMLAttributes<HTMLInputElement>, 'name' | 'id'>) {
  return (
    <Field id={id} label={label} error={wrongIn(error, name)} {...(hint === undefined ? {} : { hint })}>
      <input id={id} name={name} required aria-invalid={wrongIn(error, name) !== ''} {...rest} />
    </Field>
  );
}

/** The fields of a new account. */
export function NewAccount({ error }: { readonly error: unknown }) {
  return (
    <>
      <Input name="name" label="Name to sign in with" hint="Letters, digits and . _ @ + -" autoComplete="username" maxLength={99} error={error} />
      <Input name="shownName" label="What you are called" autoComplete="name" maxLength={100} error={error} />
      <Input
        name="password"
        label="Password"
        hint="At least 10 characters"
        type="password"
        autoComplete="new-password"
        minLength={10}
        maxLength={200}
        error={error}
      />
    </>
  );
}

/** The values of a form, all of them text. */
export const valuesOf = (form: HTMLFormElement): Record<string, string> =>
  Object.fromEntries([...new FormData(form)].map(([name, value]) => [name, typeof value === 'string' ? value : '']));
