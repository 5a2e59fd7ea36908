import type { AttemptAnswer } from '@virga/protocol';

/** What the gateway itself said in an answer, as far as a caller may know it. */
export interface Refusal {
  readonly title: string;
  readonly detail: string;
  /** Places of the request that are wrong, with what is wanted. */
  readonly places: readonly string[];
  /** What one can do. */
  readonly next: string;
}

const NEXT: Readonly<Record<number, string>> = {
  400: 'Send it as it is described on this page.',
  401: 'Put in a proof that is good: not expired, not revoked, and sent where it is looked for.',
  403: 'You may not do this as it was sent: look whether the client has a plan for it, whether the token has the scopes, and from where you call.',
  404: 'Look at the path: nothing is served there.',
  405: 'Use a method that is described on this page.',
  413: 'Send less at one time.',
  415: 'Send a content type that is described on this page.',
  502: 'The service behind did not answer as it should. Try again later, or tell the operator.',
  503: 'Try again in a moment.',
  504: 'The service behind took too long. Try again later, or tell the operator.',
};

/** Reads a refusal of the gateway (RFC 9457, RFC 6750 section 3, RFC 9110 section 10.2.3); null for an answer of the service behind. */
export function refusalIn({ status, headers, body }: Pick<AttemptAnswer, 'status' | 'headers' | 'body'>): Refusal | null {
  const field = (name: string): string => headers.find((one) => one.name.toLowerCase() === name)?.value ?? '';
  if (status < 400 || !field('content-type').startsWith('application/problem+json')) return null;
  let problem: { type?: unknown; title?: unknown; detail?: unknown; errors?: unknown };
  try {
    problem = JSON.parse(body ?? '') as typeof problem;
  } catch {
    return null;
  }
  if (typeof problem?.type !== 'string' || !problem.type.startsWith('urn:virga:problem:')) return null;
  const described = /error_description="((?:[^"\\]|\\.)*)"/.exec(field('www-authenticate'))?.[1]?.replace(/\\(.)/g, '$1') ?? '';
  const wait = Number(field('retry-after'));
  const places = Array.isArray(problem.errors)
    ? (problem.errors as Record<string, unknown>[]).map((one) =>
        [one['parameter'], one['pointer'], one['detail']].filter((part) => typeof part === 'string').join(' '),
      )
    : [];
  return {
    title: typeof problem.title === 'string' ? problem.title : String(status),
    detail: typeof problem.detail === 'string' ? problem.detail : described,
    places,
    next: status === 429 && Number.isFinite(wait) && wait > 0 ? `There is room again in ${waitWords(wait)}.` : (NEXT[status] ?? ''),
  };
}

function waitWords(seconds: number): string {
  if (seconds < 120) return `${seconds} s`;
  return seconds < 7200 ? `${Math.round(seconds / 60)} minutes` : `${Math.round(seconds / 3600)} hours`;
}
