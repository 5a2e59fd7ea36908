import type { FieldValues, Path, UseFormReturn } from 'react-hook-form';
import { ApiProblem } from '../client/api';

/** Puts the pointers of an answer beside the fields they name. Returns what no field stands for. */
export function showProblems<T extends FieldValues>(form: UseFormReturn<T>, error: unknown): unknown {
  if (!(error instanceof ApiProblem) || error.fields.length === 0) return error;
  const values = form.getValues();
  let shown = 0;
  for (const field of error.fields) {
    const path = field.pointer.slice(1).replaceAll('/', '.');
    if (path.split('.').reduce<unknown>((value, part) => (value as Record<string, unknown> | undefined)?.[part], values) === undefined) continue;
    form.setError(path as Path<T>, { message: field.detail }, { shouldFocus: shown === 0 });
    shown++;
  }
  return shown === error.fields.length ? null : error;
}
