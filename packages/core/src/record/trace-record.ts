import type { CheckMode } from '../document/modes.js';
import type { Principal } from '../token/principal.js';
import type { RequestOutcome } from '../decision/exchange.js';
import type { Operands, StepId, StepOutcome } from '../verdict/code-entry.js';

/** One step of a trace: code and operands, no text. */
export interface StepTrace {
  readonly step: StepId;
  readonly outcome: StepOutcome;
  /** Left out by versions that knew no other than to enforce. */
  readonly mode?: CheckMode;
  /** The rule that decided, as a pointer into the release document (RFC 6901); null or left out where no rule of it did. */
  readonly rule?: string | null;
  readonly code: string;
  readonly operands: Operands;
  /** Microseconds, fractions allowed. */
  readonly tookUs: number;
}

/** Who was proved to call, as far as rules look at it. */
export interface TracedCaller {
  /** What the token said; null without one. Long lists are cut. */
  readonly principal: Pick<
    Principal,
    'subject' | 'client' | 'scopes' | 'roles' | 'groups' | 'tenant' | 'acr' | 'amr' | 'authTime' | 'attributes' | 'unread'
  > | null;
  /** Of clients of the directory: kind and id of each credential. */
  readonly credentials: readonly { readonly kind: 'key' | 'basic' | 'certificate'; readonly id: string }[];
}

/** What is kept of one request. Holds no credential and no body. */
export interface TraceRecord {
  readonly id: string;
  /** W3C trace id, 32 hexadecimal digits. */
  readonly traceId: string;
  /** Milliseconds since the epoch. */
  readonly at: number;
  readonly node: string;
  /** Number of the release that decided; 0 for a draft. */
  readonly release: number;
  readonly method: string;
  readonly path: string;
  readonly query: string;
  readonly apiId: string | null;
  readonly operationId: string | null;
  readonly outcome: RequestOutcome;
  readonly status: number;
  /** The step that decided, and its code; for `would-refuse` the first that would have. */
  readonly step: StepId;
  readonly code: string;
  readonly address: string;
  readonly providerId: string | null;
  readonly subject: string | null;
  readonly client: string | null;
  /** Null where nobody was proved; left out by versions that did not keep it. */
  readonly who?: TracedCaller | null;
  readonly steps: readonly StepTrace[];
  readonly requestHeaders: readonly (readonly [string, string])[];
  readonly responseHeaders: readonly (readonly [string, string])[];
  readonly requestBytes: number;
  readonly responseBytes: number;
  readonly totalUs: number;
}

/** What one step of a counted request found, and what became of it. */
export interface StepCount {
  readonly step: StepId;
  readonly code: string;
  readonly outcome: StepOutcome;
}

/** An exact count of requests of one minute that ended alike. */
export interface TrafficCount {
  /** Start of the minute, milliseconds since the epoch. */
  readonly minute: number;
  readonly apiId: string | null;
  readonly operationId: string | null;
  readonly step: StepId;
  readonly code: string;
  readonly outcome: RequestOutcome;
  readonly status: number;
  /** What became of each step of these requests, in order; empty where too many kinds of requests came to tell. */
  readonly steps: readonly StepCount[];
  readonly count: number;
  /** Sum of the time these requests took, microseconds. */
  readonly totalUs: number;
}

/** When and from where a credential of a client was last proved at a node. */
export interface CredentialUse {
  readonly id: string;
  /** Milliseconds since the epoch. */
  readonly at: number;
  readonly from: string;
}

/** An exact count of requests of one hour that proved themselves as one client and ended alike. */
export interface ClientUse {
  /** Start of the hour, milliseconds since the epoch. */
  readonly hour: number;
  /** Null where too many kinds came to tell them apart. */
  readonly clientId: string | null;
  readonly apiId: string | null;
  readonly step: StepId;
  readonly code: string;
  readonly outcome: RequestOutcome;
  readonly count: number;
}

/** What a node sends to the control plane at one time. */
export interface RecordBatch {
  readonly traces: readonly TraceRecord[];
  readonly counts: readonly TrafficCount[];
  /** Traces not sent since the last batch, because of sampling or a full buffer. */
  readonly unsent: {
    readonly passed: number;
    readonly refused: number;
    /** Requests that were counted without their steps. */
    readonly steps: number;
  };
  /** Credentials of clients that were used since the last batch; nodes of before there were none leave it out. */
  readonly uses?: readonly CredentialUse[];
  /** What clients used; left out by nodes of before it was counted. */
  readonly clients?: readonly ClientUse[];
}
