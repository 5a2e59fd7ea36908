import type { FieldProblem, ProblemDocument } from '@virga/protocol';

/** An error that an API of ours answered with. */
export class ApiProblem extends Error {
  readonly status: number;
  readonly detail: string;
  readonly fields: readonly FieldProblem[];

  constructor(document: Partial<ProblemDocument> & { status: number }) {
    super(document.title ?? `The answer was ${document.status}`);
    this.name = 'ApiProblem';
    this.status = document.status;
    this.detail = document.detail ?? '';
    this.fields = document.errors ?? [];
  }
}

/** Calls of one API of ours. */
export interface Api {
  /** Kept in memory only; the session itself is in a cookie that no script can read. */
  readonly keepCsrfToken: (token: string) => void;
  readonly get: <T>(path: string) => Promise<T>;
  readonly post: <T>(path: string, body?: unknown) => Promise<T>;
  /** @param revision as of `patch` */
  readonly put: <T>(path: string, body: unknown, revision?: string | null) => Promise<T>;
  /** @param revision what the edit began from; left out, it is made whatever is there now */
  readonly patch: <T>(path: string, body: unknown, revision?: string | null) => Promise<T>;
  readonly remove: <T = void>(path: string) => Promise<T>;
}

/** @param base path that every call begins with @param away what is said when nobody answers */
export function apiAt(base: string, away: { readonly title: string; readonly detail: string }): Api {
  let csrfToken = '';
  const call = <T>(method: string, path: string, body?: unknown, revision?: string | null): Promise<T> =>
    callOnce<T>({ method, address: base + path, body, revision: revision ?? null, csrfToken, away });
  return {
    keepCsrfToken: (token) => {
      csrfToken = token;
    },
    get: (path) => call('GET', path),
    post: (path, body = {}) => call('POST', path, body),
    put: (path, body, revision) => call('PUT', path, body, revision),
    patch: (path, body, revision) => call('PATCH', path, body, revision),
    remove: (path) => call('DELETE', path),
  };
}

interface OneCall {
  readonly method: string;
  readonly address: string;
  readonly body: unknown;
  readonly revision: string | null;
  readonly csrfToken: string;
  readonly away: { readonly title: string; readonly detail: string };
}

async function callOnce<T>({ method, address, body, revision, csrfToken, away }: OneCall): Promise<T> {
  let answer: Response;
  try {
    answer = await fetch(address, {
      method,
      headers: {
        ...(body === undefined ? {} : { 'content-type': 'application/json' }),
        ...(method === 'GET' ? {} : { 'x-csrf-token': csrfToken }),
        ...(revision ? { 'if-match': `"${revision}"` } : {}),
      },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
  } catch {
    throw new ApiProblem({ status: 0, ...away });
  }
  const text = await answer.text();
  if (answer.ok) return (text === '' ? undefined : JSON.parse(text)) as T;
  let problem: Partial<ProblemDocument> = {};
  try {
    problem = JSON.parse(text) as ProblemDocument;
  } catch {
    // Not from the API itself; the status says what there is to say.
  }
  throw new ApiProblem({ ...problem, status: answer.status });
}

/** A path with a query of the members that are set. */
export function withQuery(path: string, query: Readonly<Record<string, string | number | undefined>>): string {
  const set = Object.entries(query).filter((pair): pair is [string, string | number] => pair[1] !== undefined && pair[1] !== '');
  return set.length === 0 ? path : `${path}?${new URLSearchParams(set.map(([name, value]) => [name, String(value)])).toString()}`;
}
