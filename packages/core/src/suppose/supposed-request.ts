import type { CallerAddress } from '../address/caller-address.js';
import { placeCredentials, type PlacedCredential } from '../credential/place-credential.js';
import type { CompiledOperation } from '../decision/compiled.js';
import { Exchange } from '../decision/exchange.js';

/** A request as far as it is supposed; credentials apart. */
export interface SupposedRequest {
  /** Values of path parameters; one that is left out has a value that stands for any. */
  readonly parameters: Readonly<Record<string, string>>;
  /** With its question mark; empty where there is none. */
  readonly query: string;
  /** Names in lower case; those of credentials are set by who calls. */
  readonly headers: Readonly<Record<string, string>>;
  readonly address: string | null;
  /**
   * Bytes of its body, or all that it says; null where there is none; `AS_USUAL` for a body of a type that is taken, where the
   * method has one or a rule reads it. Of what is not said nobody knows anything.
   */
  readonly body: number | null | 'AS_USUAL' | SupposedBody;
  /** The method and the path as they are sent, where these are not the operation's own plain ones. */
  readonly sentAs?: { readonly method: string; readonly path: string };
  /** How its address was read, where that is more than the address. */
  readonly from?: CallerAddress;
}

/** A body as a text. */
export interface SupposedBody {
  readonly content: string;
}

export const ANY_REQUEST: SupposedRequest = Object.freeze({ parameters: {}, query: '', headers: {}, address: null, body: 'AS_USUAL' });

/** A value for path parameters of which none is known. */
export const ANY_VALUE = 'any-value';
/** https, so that no credential counts as sent in the open. */
export const SUPPOSED_ORIGIN = 'https://gateway.example';
const WITH_BODY: ReadonlySet<string> = new Set(['POST', 'PUT', 'PATCH']);
/** Whether requests of a method usually have a body. */
export const hasBody = (method: string): boolean => WITH_BODY.has(method);

/** What a caller proves itself with, ready to be put in its places. */
export interface SentProofs {
  readonly token: readonly { readonly text: string; readonly bound: boolean }[];
  readonly key: readonly string[];
  readonly basic: readonly string[];
  readonly certificate: string | null;
}

/** A request to an operation as its caller would send it. */
export function supposeRequest(operation: CompiledOperation, request: SupposedRequest, proofs: SentProofs): Exchange {
  const { headers, query } = placeCredentials(placed(operation, proofs));
  const { sentAs } = request;
  const method = sentAs?.method ?? operation.rule.method;
  const path = sentAs?.path ?? pathOf(operation, request.parameters);
  const { bytes, content } = bodyOf(request.body, operation.readsBody || hasBody(method));
  const typed = bytes !== null && request.body === 'AS_USUAL';
  const exchange = new Exchange({
    method,
    target: path + joined(request.query, query),
    headers: typed ? { 'content-type': usualType(operation), ...request.headers, ...headers } : { ...request.headers, ...headers },
    origin: SUPPOSED_ORIGIN,
    from: request.from ?? { address: request.address, via: [], unread: request.address === null ? 'no address is supposed' : '' },
    certificate: proofs.certificate,
    body: bytes === null ? null : { bytes },
  });
  if (exchange.body !== null && content !== null) exchange.body.content = { kind: 'bytes', bytes: content };
  return exchange;
}

const UTF8 = new TextEncoder();

function bodyOf(body: SupposedRequest['body'], usual: boolean): { readonly bytes: number | null; readonly content: Uint8Array | null } {
  if (body === 'AS_USUAL') return { bytes: usual ? 2 : null, content: null };
  if (typeof body === 'number' || body === null) return { bytes: body, content: null };
  const content = UTF8.encode(body.content);
  return { bytes: content.length, content };
}

/** The path of an operation with its parameters filled in. */
export function pathOf(operation: CompiledOperation, parameters: Readonly<Record<string, string>>): string {
  if (parameters !== ANY_REQUEST.parameters) return filledIn(operation, parameters);
  let path = anyPaths.get(operation);
  if (path === undefined) anyPaths.set(operation, (path = filledIn(operation, parameters)));
  return path;
}

const anyPaths = new WeakMap<CompiledOperation, string>();

function filledIn(operation: CompiledOperation, parameters: Readonly<Record<string, string>>): string {
  const path = operation.rule.path.replace(/\{([^{}]+)\}/g, (_whole, name: string) => encodeURIComponent(parameters[name] ?? ANY_VALUE));
  return operation.api.basePath + path;
}

function placed(operation: CompiledOperation, { token, key, basic }: SentProofs): PlacedCredential[] {
  const [place] = operation.token.places;
  const [proof] = token;
  const proven = proof?.bound === true && place?.kind === 'header' && place.scheme?.toLowerCase() === 'bearer';
  return [
    ...(basic[0] === undefined ? [] : [{ place: { kind: 'header', name: 'authorization', scheme: 'Basic' } as const, text: basic[0] }]),
    ...(proof && place ? [{ place: proven ? { ...place, scheme: 'DPoP' } : place, text: proof.text }] : []),
    ...(key[0] === undefined ? [] : (operation.rights?.keys ?? []).map((known) => ({ place: known.place, text: key[0] as string }))),
  ];
}

/** The first type that the operation takes, as it would be sent. */
export function usualType({ message }: CompiledOperation): string {
  const [first = 'application/json'] = message.contentTypes === 'ANY_TYPE' ? [] : message.contentTypes;
  return first.replace(/^\*\/\*$/, 'application/json').replace(/\*$/, 'plain');
}

const joined = (query: string, more: string): string => (query === '' || query === '?' ? more : more === '' ? query : `${query}&${more.slice(1)}`);
