import type { NeededProof, NeededProofs, OfferedOperation, ReferenceParameterView } from '@virga/protocol';

/** A call as somebody composes it: values of parameters by place and name, proofs by place, a body. */
export interface Composed {
  readonly method: string;
  /** Path with the base of the API, and query. */
  readonly target: string;
  readonly headers: readonly (readonly [name: string, value: string])[];
  readonly body: string | null;
}

/** Where a proof travels, as one text: the same for all operations that take it there. */
export const placeOf = ({ kind, place, name }: Pick<NeededProof, 'kind' | 'place' | 'name'>): string => `${kind} ${place} ${name}`;

export const parameterKey = ({ in: place, name }: Pick<ReferenceParameterView, 'in' | 'name'>): string => `${place} ${name}`;

/** What a first try fills in: examples of the contract, where it gives some. */
export function firstValues({ path, parameters, attempt }: OfferedOperation, basePath: string): Record<string, string> {
  const values: Record<string, string> = {};
  const [filled = '', query = ''] = attempt.target.slice(basePath.length).split('?');
  const names = [...path.matchAll(/\{([^{}]+)\}/g)].map((match) => match[1] ?? '');
  const pattern = new RegExp(
    `^${path
      .split(/\{[^{}]+\}/)
      .map(escaped)
      .join('([^/]*)')}$`,
  );
  const found = pattern.exec(filled);
  names.forEach((name, index) => (values[`path ${name}`] = decoded(found?.[index + 1] ?? '')));
  for (const [name, value] of new URLSearchParams(query)) values[`query ${name}`] = value;
  for (const one of parameters) values[parameterKey(one)] ??= '';
  return values;
}

const escaped = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');

function decoded(text: string): string {
  try {
    return decodeURIComponent(text);
  } catch {
    return text;
  }
}

/** Header fields that no page can send for a caller, and that its program sends by itself. */
const LEFT_OUT = /^(accept|content-type|authorization)$/i;

/**
 * The call that a form describes.
 * @param proofs what stands in each place; in a sample a word in its stead
 */
export function composed(
  { method, path, parameters }: Pick<OfferedOperation, 'method' | 'path' | 'parameters'>,
  {
    basePath,
    values,
    needed,
    proofs,
    type,
    body,
  }: {
    readonly basePath: string;
    readonly values: Readonly<Record<string, string>>;
    readonly needed: NeededProofs | null;
    readonly proofs: ReadonlyMap<string, string>;
    /** Content type of the body; empty without one. */
    readonly type: string;
    readonly body: string;
  },
): Composed {
  const given = (one: Pick<ReferenceParameterView, 'in' | 'name'>): string => values[parameterKey(one)] ?? '';
  const filled = path.replace(/\{([^{}]+)\}/g, (_, name: string) => encodeURIComponent(values[`path ${name}`] ?? ''));
  const query = parameters.filter((one) => one.in === 'query' && given(one) !== '').map((one) => [one.name, given(one)] as const);
  const headers: (readonly [string, string])[] = parameters
    .filter((one) => one.in === 'header' && given(one) !== '' && !LEFT_OUT.test(one.name))
    .map((one) => [one.name, given(one)]);
  const cookies = parameters.filter((one) => one.in === 'cookie' && given(one) !== '').map((one) => `${one.name}=${given(one)}`);
  const asked: (readonly [string, string])[] = [...query];
  for (const proof of needed?.all ?? []) {
    const value = proofs.get(placeOf(proof)) ?? '';
    if (value === '' || proof.place === 'connection') continue;
    if (proof.place === 'query') asked.push([proof.name, value]);
    else if (proof.place === 'cookie') cookies.push(`${proof.name}=${value}`);
    else headers.push([proof.name, proof.scheme === '' ? value : `${proof.scheme} ${value}`]);
  }
  if (cookies.length > 0) headers.push(['cookie', cookies.join('; ')]);
  const sends = type !== '' && method !== 'GET' && method !== 'HEAD';
  if (sends) headers.push(['content-type', type]);
  const search = asked.map(([name, value]) => `${encodeURIComponent(name)}=${encodeURIComponent(value)}`).join('&');
  return { method, target: basePath + filled + (search === '' ? '' : `?${search}`), headers, body: sends ? body : null };
}

/** `Basic` credentials of a name and a secret (RFC 7617 section 2, UTF-8). */
export function basicOf(name: string, secret: string): string {
  return btoa(String.fromCodePoint(...new TextEncoder().encode(`${name}:${secret}`)));
}
