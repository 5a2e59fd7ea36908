import { Exchange } from '../decision/exchange.js';
import { routeStep } from '../decision/route-step.js';
import type { KnownFacts, SupposedCredential } from '../suppose/supposed-caller.js';
import type { SupposedBody } from '../suppose/supposed-request.js';
import type { SupposedCall, Supposition } from '../suppose/supposition.js';
import type { Code } from '../verdict/codes.js';
import { hangsOn, letThrough, type LetThrough } from './let-through.js';
import { whatHolds, type Held } from './what-holds.js';
import { favourable } from './ways.js';

/** A request that was sent, or composed, and who sent it as far as that is known. */
export interface CallQuestion {
  readonly method: string;
  /** With its query. */
  readonly target: string;
  /** Names in lower case; credentials are left out. */
  readonly headers: Readonly<Record<string, string>>;
  readonly address: string | null;
  /** Bytes of its body, or all that it says, where that is known; null for none. */
  readonly body: number | null | SupposedBody;
  readonly credentials: readonly SupposedCredential[];
  /** Milliseconds since the epoch. */
  readonly atMs: number;
}

/** What a call comes to when it is decided again, and what would make it come to something else. */
export interface CallAnswer {
  readonly outcome: 'passed' | 'refused';
  readonly code: Code;
  readonly hangsOn: readonly string[];
  readonly letThrough: readonly LetThrough[];
  /** Whether the search for it was ended before all was tried. */
  readonly cut: boolean;
  readonly held: readonly Held[];
}

/** Decides a call again, and searches for what would let it through, or what holds it. Null where no operation is called. */
export async function askCall(supposition: Supposition, facts: KnownFacts, question: CallQuestion, isOver?: () => boolean): Promise<CallAnswer | null> {
  const call = await callOf(supposition, question);
  if (call === null) return null;
  const outcome = await supposition.decide(call);
  const refused = outcome.verdict.kind === 'answer';
  const { ways, cut } = refused ? await letThrough(supposition, call, facts, isOver ? { isOver } : {}) : { ways: [], cut: false };
  return {
    outcome: refused ? 'refused' : 'passed',
    code: outcome.verdict.finding.code,
    hangsOn: hangsOn(outcome),
    letThrough: ways,
    cut,
    held: refused ? [] : await whatHolds(supposition, call),
  };
}

/** A call as it was asked about; null where no operation is called. */
export async function callOf(
  supposition: Supposition,
  { method, target, headers, address, body, credentials, atMs }: CallQuestion,
): Promise<SupposedCall | null> {
  const mark = target.indexOf('?');
  // Which operation it is, by the router itself.
  const looked = new Exchange({
    method,
    target: mark < 0 ? target : target.slice(0, mark),
    headers: {},
    from: address === null ? null : { address, via: [], unread: '' },
  });
  routeStep(supposition.release, looked);
  const { operation, parameters } = looked;
  if (operation === null) return null;
  return {
    operation,
    credentials: await Promise.all(credentials.map((one) => knownToken(one, operation, supposition, atMs))),
    request: {
      parameters: Object.fromEntries(operation.parameterNames.map((name, index) => [name, decodeURIComponent(parameters[index] ?? '')])),
      query: mark < 0 ? '' : target.slice(mark),
      headers,
      address,
      body,
    },
    nowMs: atMs,
  };
}

/** A token whose times and audience are not known counts as good in these; one that was pasted is taken at its word once it is proved. */
async function knownToken(
  credential: SupposedCredential,
  operation: SupposedCall['operation'],
  supposition: Supposition,
  atMs: number,
): Promise<SupposedCredential> {
  if (credential.kind === 'pasted') return (await supposition.readPasted(credential)) ?? credential;
  return credential.kind === 'token' && credential.claims['exp'] === undefined ? favourable(credential, operation, atMs) : credential;
}
