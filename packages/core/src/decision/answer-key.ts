import type { AnswerKey } from '../authorizer/answer-memory.js';
import type { Caller } from '../credential/caller.js';
import type { CacheKeyPart } from '../document/authorizer-rule.js';
import type { Principal } from '../token/principal.js';
import type { CompiledOperation } from './compiled.js';
import type { Exchange } from './exchange.js';
import type { Ports } from './ports.js';

/** What the requests that share an answer of an authorizer have in common. */
export type AnswerKeyOf = (exchange: Exchange) => AnswerKey;

type Digest = Ports['digest'];
/** Parts that are the same for all requests of a caller. */
type CallerPart = 'caller' | 'subject' | 'client' | 'roles' | 'ANYBODY';

/**
 * Compiles the key of the answers of one authorizer. What it says of a caller whom a token alone proves is put together once for all
 * requests with that token, as long as they come to the operations that share their rights.
 * @param name of the authorizer, by which its answers can be dropped
 * @param identity one text for all that its answers hang on beside the request: changed where any of it is
 */
export function compileAnswerKey(name: string, identity: string, parts: readonly CacheKeyPart[], digest: Digest): AnswerKeyOf {
  const owner = `${name}\n${identity}\n`;
  const ofWhom = parts.filter((part) => part !== 'operation' && part !== 'path');
  const whoOf = (exchange: Exchange): string => owner + JSON.stringify(ofWhom.map((part) => partOf(part, exchange, digest)));
  const known = new WeakMap<Caller, string>();
  const byCaller = ofWhom.every(isOfCaller);
  const remembered = (exchange: Exchange): string => {
    const { caller } = exchange;
    // Callers with a client of the directory are put together anew for each request.
    if (caller === null || caller.principal === null || caller.clientName !== null || caller.metadata !== null) return whoOf(exchange);
    let who = known.get(caller);
    if (who === undefined) known.set(caller, (who = whoOf(exchange)));
    return who;
  };
  const [byOperation, byPath] = [parts.includes('operation'), parts.includes('path')];
  // The last text of each operation: most requests of one are by one method.
  const last = new WeakMap<CompiledOperation, { readonly method: string; readonly where: string }>();
  const whereOf = ({ operation, method }: Exchange): string => {
    if (operation === null) return whereIn(NOWHERE, method);
    let before = last.get(operation);
    if (before?.method !== method) last.set(operation, (before = { method, where: whereIn(spelled(operation), method) }));
    return before.where;
  };
  const whereIn = ({ id, parameters }: Spelled, method: string): string => (byOperation ? `${id}\n${method}\n` : '') + (byPath ? parameters : '');
  return (exchange) => {
    const { method, path } = exchange;
    return { who: byCaller ? remembered(exchange) : whoOf(exchange), where: whereOf(exchange), what: byPath ? path : '', method, path };
  };
}

const isOfCaller = (part: CacheKeyPart): part is CallerPart =>
  part === 'caller' || part === 'subject' || part === 'client' || part === 'roles' || part === 'ANYBODY';

/** An operation as it stands in keys, each member in one line. */
interface Spelled {
  readonly id: string;
  readonly parameters: string;
}

const NOWHERE: Spelled = { id: 'null', parameters: 'null' };
const spelled = ({ api, rule, parameterNames }: CompiledOperation): Spelled => ({
  id: JSON.stringify([api.id, rule.id]),
  parameters: JSON.stringify(parameterNames),
});

/** What principals are known by: one and the same stands for all requests with a token. */
const KNOWN_BY = new WeakMap<Principal, string>();

function knownBy(principal: Principal | null, digest: Digest): string {
  if (principal === null) return '';
  let known = KNOWN_BY.get(principal);
  if (known === undefined) KNOWN_BY.set(principal, (known = digest(JSON.stringify(principal))));
  return known;
}

function partOf(part: CacheKeyPart, exchange: Exchange, digest: Digest): unknown {
  const { caller } = exchange;
  switch (part) {
    case 'caller':
      return caller && [knownBy(caller.principal, digest), caller.client, caller.clientName, caller.metadata, caller.roles, caller.by];
    case 'subject':
      return caller && [caller.issuer, caller.subject];
    case 'client':
      return caller && [caller.issuer, caller.client, caller.clientName, caller.metadata];
    case 'roles':
      return caller && [caller.issuer, caller.roles];
    case 'query':
      return exchange.query;
    case 'address':
      return exchange.from.address;
    case 'ANYBODY':
      return null;
    default:
      return part.startsWith('header:') ? (exchange.header(part.slice('header:'.length)) ?? null) : null;
  }
}
