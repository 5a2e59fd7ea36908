import { foldName, type Caller, type CallerFields, type CompiledLane, type Exchange, type TokenPlace } from '@virga/core';
import type { IncomingHttpHeaders } from 'node:http';
import type { FieldList } from '../upstream/field-list.js';
import { HOP_BY_HOP, isReserved } from './forward-names.js';

/** Decisions about names, kept because the same few come again and again. Bounded: callers choose names. */
const known = new Map<string, boolean>();
const MAX_NAMES = 500;

/** Whether a field of a request may travel on. */
function goesUp(name: string): boolean {
  let travels = known.get(name);
  if (travels === undefined) {
    travels = !HOP_BY_HOP.has(name) && !isReserved(name);
    if (known.size < MAX_NAMES) known.set(name, travels);
  }
  return travels;
}

/** Fields that ask for a part of an answer, or for what changed in it (RFC 9110 section 14.2, RFC 3229 section 10.5.3); whoever answers may pass them over. */
const OF_RANGES: ReadonlySet<string> = new Set(['range', 'if-range', 'a-im']);

/** What the gateway says to the upstream about the request. */
export interface ForwardFacts {
  readonly address: string;
  readonly host: string;
  readonly requestId: string;
  readonly traceparent: string;
  readonly protocol: 'http' | 'https';
  /** The header with the client certificate, where the hop that sent it may write it; null otherwise. */
  readonly vouched: string | null;
}

/** What the release says of the header fields of a request. */
export interface HeaderRules {
  /** Places whose credentials must not travel on; empty when they may. */
  readonly withheld: readonly TokenPlace[];
  /** The name of that header, whoever sent it; null where no rule names one. */
  readonly ruled: string | null;
  /** Changes that the API makes; null for none. */
  readonly lane: CompiledLane | null;
  /** Header fields that only authorizers may write, and what these say; null for nothing. */
  readonly passes: readonly string[];
  readonly passed: Readonly<Record<string, string>> | null;
  /** Whom these changes can name; null where nobody was let in by a credential. */
  readonly who: Caller | null;
  /** Whether the answer is looked into, and so asked for without a coding. */
  readonly uncoded: boolean;
  /** Whether it is held for that, and so asked for whole: what is looked for could stand in two parts of it. */
  readonly whole: boolean;
  /** In which fields it is said from where the request came. */
  readonly callerFields: CallerFields;
}

/** The Cookie header without some cookies; undefined when nothing is left. */
function withoutCookies(header: string | undefined, withheld: readonly TokenPlace[]): string | undefined {
  const names = withheld.flatMap((place) => (place.kind === 'cookie' ? [place.name] : []));
  if (header === undefined || names.length === 0) return header;
  const left = header.split(';').filter((pair) => !names.includes(pair.slice(0, Math.max(0, pair.indexOf('='))).trim()));
  return left.length === 0 ? undefined : left.join(';').trim();
}

/** A query without one parameter; the rest keeps its spelling. */
function withoutParameter(query: string, name: string): string {
  const left = query
    .replace(/^\?/, '')
    .split('&')
    .filter((pair) => !new URLSearchParams(pair).has(name));
  return left.length === 0 || (left.length === 1 && left[0] === '') ? '' : `?${left.join('&')}`;
}

/** Names that a Connection field takes out of its message (RFC 9110 section 7.6.1); null when it names none beyond the usual. */
function named(connection: string | undefined): Set<string> | null {
  if (connection === undefined || connection === 'keep-alive' || connection === 'close') return null;
  return new Set(connection.split(',').map((name) => name.trim().toLowerCase()));
}

/**
 * The fields of a request that are meant for whoever is behind the gateway: without those that its Connection field names. What
 * ends here decides nothing either, else a rule would be met by what its upstream never sees.
 */
export function endToEnd(headers: IncomingHttpHeaders): IncomingHttpHeaders {
  const dropped = named(headers.connection);
  return dropped === null ? headers : Object.fromEntries(Object.entries(headers).filter(([name]) => name === 'connection' || !dropped.has(name)));
}

/** The same of all Connection fields of an answer together. */
function namedIn(headers: FieldList): Set<string> | null {
  let all: string | undefined;
  for (let index = 0; index < headers.length; index += 2)
    if (headers[index] === 'connection') all = all === undefined ? headers[index + 1] : `${all},${headers[index + 1] ?? ''}`;
  return named(all);
}

/** The query that travels on: without the tokens that must not. */
export function queryUp(exchange: Exchange): string {
  const withheld = exchange.operation?.withheld ?? [];
  if (withheld.length === 0) return exchange.query;
  const names = withheld.flatMap((place) => (place.kind === 'query' ? [place.name] : []));
  return names.reduce(withoutParameter, exchange.query);
}

/** The header fields of the request to the upstream, as a flat list of names and values. */
export function headersUp(headers: IncomingHttpHeaders, facts: ForwardFacts, rules: HeaderRules): string[] {
  const out: string[] = [];
  const dropped = named(headers.connection);
  const { withheld, lane, ruled, passes, passed } = rules;
  const withheldNames = withheld.flatMap((place) => (place.kind === 'header' ? [foldName(place.name)] : []));
  for (const name in headers) {
    if (name !== facts.vouched && (!goesUp(name) || (ruled !== null && foldName(name) === ruled))) continue;
    if (dropped !== null && dropped.has(name)) continue;
    if (withheldNames.length > 0 && withheldNames.includes(foldName(name))) continue;
    if (passes.length > 0 && passes.some((own) => foldName(own) === foldName(name))) continue;
    if (lane !== null && lane.drops(name)) continue;
    if (rules.uncoded && name === 'accept-encoding') continue;
    if (rules.whole && OF_RANGES.has(name)) continue;
    const value = name === 'cookie' ? withoutCookies(headers.cookie, withheld) : headers[name];
    if (typeof value === 'string') out.push(name, value);
    else if (value) for (const item of value) out.push(name, item);
  }
  if (rules.uncoded) out.push('accept-encoding', 'identity');
  if (lane !== null) lane.write(rules.who, out);
  // What the API itself sets or removes has the last word.
  for (const name in passed) if (lane === null || !lane.drops(name)) out.push(name, passed[name] as string);
  if (rules.callerFields !== 'forwarded') out.push('x-forwarded-for', facts.address, 'x-forwarded-proto', facts.protocol, 'x-forwarded-host', facts.host);
  if (rules.callerFields !== 'x-forwarded') out.push('forwarded', forwarded(facts));
  out.push('x-request-id', facts.requestId, 'traceparent', facts.traceparent);
  return out;
}

/** RFC 7239 section 4; a host with a port needs quotes. */
function forwarded({ address, host, protocol }: ForwardFacts): string {
  const caller = address.includes(':') ? `"[${address}]"` : address;
  return `for=${caller};host="${host.replace(/["\\]/g, '')}";proto=${protocol}`;
}

/**
 * The header fields of the upstream's answer that travel on, as a flat list, with those that the gateway adds.
 * @param cors what the API's own CORS rule says; null where it has none
 * @param added names and values in turn
 * @param lane changes that the API makes; null for none
 */
export function headersBack(
  headers: FieldList,
  cors: Readonly<Record<string, string>> | null,
  added: readonly string[],
  lane: CompiledLane | null = null,
  who: Caller | null = null,
): string[] {
  const out: string[] = [];
  const dropped = namedIn(headers);
  for (let index = 0; index + 1 < headers.length; index += 2) {
    const name = headers[index] as string;
    if (HOP_BY_HOP.has(name) || (dropped !== null && dropped.has(name))) continue;
    // CORS answers come from the gateway's rule alone when it has one.
    if (cors !== null && name.startsWith('access-control-')) continue;
    if (name === 'x-request-id') continue;
    // What the gateway says of its limits is not mixed with what the upstream says of its own.
    if (added.length > 2 && (name === 'ratelimit' || name === 'ratelimit-policy')) continue;
    if (lane !== null && lane.drops(name)) continue;
    out.push(name, headers[index + 1] as string);
  }
  if (lane !== null) lane.write(who, out);
  for (const name in cors) out.push(name, cors[name] as string);
  out.push(...added);
  return out;
}
