import type { ReactNode } from 'react';

/** An error as the form library nests it: a message here, or deeper in an array or object. */
type AnyError = { readonly message?: unknown } | undefined;

/** A label, an input and what is wrong with it. */
export function Field({
  id,
  label,
  hint,
  error,
  children,
}: {
  readonly id: string;
  readonly label: string;
  readonly hint?: ReactNode;
  readonly error?: AnyError | string;
  readonly children: ReactNode;
}) {
  const said = typeof error === 'string' ? error : messageOf(error);
  return (
    <div className="field">
      <label htmlFor={id}>{label}</label>
      {children}
      {said ? (
        <span className="error" role="alert">
          {said}
        </span>
      ) : (
        hint && <span className="hint">{hint}</span>
      )}
    </div>
  );
}

/** The first message of an error, however deep it lies. */
function messageOf(error: AnyError): string | null {
  if (!error) return null;
  if (typeof error.message === 'string' && error.message !== '') return error.message;
  for (const value of Object.values(error)) {
    const found = value && typeof value === 'object' ? messageOf(value) : null;
    if (found) return found;
  }
  return null;
}
