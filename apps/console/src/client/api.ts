import type { FieldProblem, ProblemDocument } from '@virga/protocol';

/** An error that the control API answered with. */
export class ApiProblem extends Error {
  readonly status: number;
  readonly detail: string;
  readonly fields: readonly FieldProblem[];

  constructor(document: Partial<ProblemDocument> & { status: number }) {
    super(document.title ?? `The control API answered ${document.status}`);
    this.name = 'ApiProblem';
    this.status = document.status;
    this.detail = document.detail ?? '';
    this.fields = document.errors ?? [];
  }
}

let csrfToken = '';

/** Kept in memory only; the session itself is in a cookie that no script can read. */
export function keepCsrfToken(token: string): void {
  csrfToken = token;
}

async function call<T>(method: string, path: string, body?: unknown, revision?: string | null): Promise<T> {
  let answer: Response;
  try {
    answer = await fetch(`/control/v1${path}`, {
      method,
      headers: {
        ...(body === undefined ? {} : { 'content-type': 'application/json' }),
        ...(method === 'GET' ? {} : { 'x-csrf-token': csrfToken }),
        ...(revision ? { 'if-match': `"${revision}"` } : {}),
      },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
  } catch {
    throw new ApiProblem({
      status: 0,
      title: 'The control plane cannot be reached',
      detail: 'The gateway goes on serving its last release. This page tries again by itself.',
    });
  }
  const text = await answer.text();
  if (answer.ok) return (text === '' ? undefined : JSON.parse(text)) as T;
  let problem: Partial<ProblemDocument> = {};
  try {
    problem = JSON.parse(text) as ProblemDocument;
  } catch {
    // Not from the control API; the status says what there is to say.
  }
  throw new ApiProblem({ ...problem, status: answer.status });
}

export const api = {
  get: <T>(path: string) => call<T>('GET', path),
  post: <T>(path: string, body: unknown = {}) => call<T>('POST', path, body),
  /** @param revision as of `patch` */
  put: <T>(path: string, body: unknown, revision?: string | null) => call<T>('PUT', path, body, revision),
  /** @param revision what the edit began from; left out, it is made whatever is there now */
  patch: <T>(path: string, body: unknown, revision?: string | null) => call<T>('PATCH', path, body, revision),
  remove: (path: string) => call<void>('DELETE', path),
};

/** A path with a query of the members that are set. */
export function withQuery(path: string, query: Readonly<Record<string, string | number | undefined>>): string {
  const set = Object.entries(query).filter((pair): pair is [string, string | number] => pair[1] !== undefined && pair[1] !== '');
  return set.length === 0 ? path : `${path}?${new URLSearchParams(set.map(([name, value]) => [name, String(value)])).toString()}`;
}
