import type { CallerAddress } from '../address/caller-address.js';
import { composeCaller, type Caller } from '../credential/caller.js';
import type { CredentialMemory } from '../credential/digest-memory.js';
import type { Credential, ProofKind, SentCredential, TokenScheme } from '../credential/sent-credential.js';
import type { CheckMode } from '../document/modes.js';
import type { StepId, StepOutcome } from '../verdict/code-entry.js';
import { entryOf, outcomeOfCode, type Finding } from '../verdict/codes.js';
import type { VerifiedToken } from '../token/verified-token.js';
import type { CompiledPlan } from '../limit/compile-plan.js';
import type { Hold } from '../limit/counters.js';
import type { CompiledApi, CompiledOperation } from './compiled.js';
import type { CountedLimits } from './limit-steps.js';

/** Header fields of a request, names in lower case. Repeated fields are joined, so that none can hide. */
export type HeaderFields = Readonly<Record<string, string | readonly string[] | undefined>>;

/** What a caller sent, as far as a decision looks at it. */
export interface Asked {
  readonly method: string;
  /** The request target as it stood in the request line. */
  readonly target: string;
  readonly headers: HeaderFields;
  /** Scheme and authority that the caller used, as the gateway knows itself, without a slash at the end. */
  readonly origin?: string;
  /** The request's body: its length as the head says it, null where it is not said; null or left out where there is no body. */
  readonly body?: { readonly bytes: number | null } | null;
  /** Where it came from; left out where that is not known, and rules about addresses let nobody in. */
  readonly from?: CallerAddress | null;
  /** SHA-256 of the client certificate, base64url, where one was presented and its key was proved (RFC 8705 section 3.1). */
  readonly certificate?: string | null;
  /** What the connection remembers; null or left out where nothing is remembered. */
  readonly memory?: CredentialMemory | null;
}

/** What was read of a body for a check that looks into it. */
export type BodyContent =
  | { readonly kind: 'bytes'; readonly bytes: Uint8Array }
  /** It has more than is read; `pass` where it may pass so. */
  | { readonly kind: 'larger'; readonly limit: number; readonly pass: boolean }
  /** It is coded in a way that is not read, or not as it says. */
  | { readonly kind: 'coded'; readonly coding: string }
  /** There is no room for it. */
  | { readonly kind: 'no-room'; readonly limit: number }
  /** Its end did not come, or cannot be waited for. */
  | { readonly kind: 'unfinished' };

/** A body: its length as its head says it, null where it is not said, and how many bytes of it have come. */
export interface SeenBody {
  readonly bytes: number | null;
  seen: number;
  /** Null while it is not wanted or not whole. */
  content: BodyContent | null;
}

/** Bytes of a body so far: what has come counts, whatever length was said; before any has, the length that was said. */
export const bytesOf = ({ bytes, seen }: SeenBody): number => Math.max(seen, bytes ?? 0);

/** The upstream's answer once its head has come. */
export interface SeenAnswer extends SeenBody {
  readonly status: number;
  readonly headers: HeaderFields;
  /** Whether none can follow its head (RFC 9110 section 6.4.1). */
  readonly bodyless: boolean;
  /** What goes out in place of the body that came; null where that does. */
  instead: Uint8Array | null;
  /** What goes out in place of the header fields that came; null where those do. */
  fields: HeaderFields | null;
}

/** The text of a header field; undefined where none was sent. Every object has what is called `constructor`, so that a field of that name is one only as text. */
export function fieldText(value: unknown): string | undefined {
  if (typeof value === 'string' || value === undefined) return value;
  return Array.isArray(value) ? value.join(', ') : undefined;
}

/**
 * One request on its way down the fall line. Every field is set in the constructor, so that all exchanges have one
 * shape; steps fill in what they find.
 */
export class Exchange {
  readonly method: string;
  readonly target: string;
  readonly headers: HeaderFields;
  readonly origin: string;
  readonly certificate: string | null;
  readonly from: CallerAddress;
  /** The request's body as far as it was seen; null where there is none. */
  readonly body: SeenBody | null;
  readonly memory: CredentialMemory | null;
  /** The upstream's answer once its head has come. */
  answer: SeenAnswer | null = null;
  /** The normalised path, empty until it is read. */
  path = '';
  query = '';
  /** The path below the base of the API that was chosen, beginning with a slash; what the upstream's prefix is put in front of. */
  below = '';
  api: CompiledApi | null = null;
  operation: CompiledOperation | null = null;
  parameters: readonly string[] = NONE;
  /** What stood where the operation looks for credentials, each once. */
  sent: readonly SentCredential[] = NO_SENT;
  /** The token among them, and its SHA-256, base64url; made once for each request. */
  sentToken: SentCredential | null = null;
  tokenDigest = '';
  /** What was proved. An observed check that finds it wrong takes it out again. */
  credentials: readonly Credential[] = NO_CREDENTIALS;
  /** The token that was proved, while nothing was found wrong with it. */
  token: VerifiedToken | null = null;
  tokenIsKnown = false;
  /** Header fields that authorizers pass up; null while none does. */
  passed: Readonly<Record<string, string>> | null = null;
  /** Who was let in, by the alternative that held. */
  caller: Caller | null = null;
  /** The plan that opened it, where one was asked for. */
  plan: CompiledPlan | null = null;
  /** How it was counted; null where it was not. */
  counted: CountedLimits | null = null;
  #hold: Hold | null = null;
  #ended = false;
  /** Steps taken, in order, with the time each took. */
  readonly steps: StepRecord[] = [];
  /** The first step that would have refused, had it not only been observed. */
  wouldRefuse: StepRecord | null = null;
  allowedMethods: readonly string[] = NONE;

  constructor(asked: Asked) {
    this.method = asked.method;
    this.target = asked.target;
    this.headers = asked.headers;
    this.origin = asked.origin ?? '';
    this.certificate = asked.certificate ?? null;
    this.from = asked.from ?? FROM_NOWHERE;
    this.body = asked.body ? { bytes: asked.body.bytes, seen: 0, content: null } : null;
    this.memory = asked.memory ?? null;
  }

  header(name: string): string | undefined {
    return fieldText(this.headers[name]);
  }

  get tokenScheme(): TokenScheme {
    return this.sentToken?.scheme === 'DPoP' ? 'DPoP' : 'Bearer';
  }

  proved(credential: Credential): void {
    this.credentials = this.credentials === NO_CREDENTIALS ? [credential] : [...this.credentials, credential];
    if (credential.kind === 'token') this.token = credential.token;
  }

  /** Writes down a step that was taken, with the outcome that its mode makes. */
  took(step: StepId, finding: Finding, tookMs: number, mode: CheckMode = 'enforce', outcome: StepOutcome = outcomeOfCode(finding.code, mode)): StepRecord {
    const taken: StepRecord = { step, finding, mode, outcome, tookMs };
    this.steps.push(taken);
    return taken;
  }

  /** Holds something until the request has ended. */
  holds(hold: Hold | null): void {
    // Whoever left while it was counted holds nothing.
    if (this.#ended) hold?.release();
    else this.#hold = hold;
  }

  /** The request has ended, however it did: what it held is given back, once. */
  end(): void {
    this.#ended = true;
    this.#hold?.release();
    this.#hold = null;
  }

  /** Takes out what was proved in one way, because a later check found it wrong. */
  unprove(kind: ProofKind): void {
    this.credentials = this.credentials.filter((credential) => credential.kind !== kind);
    if (kind === 'token') this.token = null;
  }
}

const FROM_NOWHERE: CallerAddress = Object.freeze({ address: null, via: Object.freeze([]), unread: 'no address' });
const NONE: readonly string[] = Object.freeze([]);
const NO_SENT: readonly SentCredential[] = Object.freeze([]);
const NO_CREDENTIALS: readonly Credential[] = Object.freeze([]);

/** Who was let in; where nobody was, who was proved to call. Null when nobody was. */
export const whoCalls = ({ caller, credentials }: Exchange): Caller | null => caller ?? composeCaller(credentials);

/** How a request ended: by what was found last, or by what would have refused it had it not only been observed. */
export interface Ending {
  readonly outcome: RequestOutcome;
  readonly step: StepId;
  readonly code: Finding['code'];
}

export type RequestOutcome = 'passed' | 'refused' | 'would-refuse';

/** How a request ended that was answered with a finding. A fault is blamed on the step it happened in. */
export function endingOf({ steps, wouldRefuse }: Exchange, found: Finding): Ending {
  const entry = entryOf(found.code);
  const last = steps[steps.length - 1];
  if (entry.says === 'fails') return { outcome: 'refused', step: last?.finding === found ? last.step : entry.step, code: found.code };
  if (wouldRefuse) return { outcome: 'would-refuse', step: wouldRefuse.step, code: wouldRefuse.finding.code };
  return { outcome: 'passed', step: last?.finding === found ? last.step : entry.step, code: found.code };
}

/** One step taken. `tookMs` counts milliseconds with fractions. */
export interface StepRecord {
  readonly step: StepId;
  readonly finding: Finding;
  readonly mode: CheckMode;
  readonly outcome: StepOutcome;
  readonly tookMs: number;
}
