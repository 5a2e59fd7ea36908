import { ApiProblem } from '../../client/api';

/** What the control plane says of one member; empty where it says nothing of it. */
export function errorAt(error: unknown, pointer: string): string {
  const found = error instanceof ApiProblem ? error.fields.find((field) => field.pointer === pointer || field.pointer.startsWith(`${pointer}/`)) : undefined;
  return found?.detail ?? '';
}
