import type { Operands, ReleaseDocument, StepTrace } from '@virga/core';

/** One line of the feed that the control plane keeps open to each node: JSON, one message a line. */
export type FeedMessage =
  | { readonly type: 'hello'; readonly controlPlane: string }
  | { readonly type: 'heartbeat' }
  | { readonly type: 'release'; readonly number: number; readonly hash: string; readonly document: ReleaseDocument }
  | { readonly type: 'refresh-provider'; readonly askId: string; readonly providerId: string }
  | {
      readonly type: 'probe';
      readonly askId: string;
      readonly hash: string;
      readonly document: ReleaseDocument;
      readonly request: ProbeRequest;
      readonly forward: boolean;
    };

/** A request composed by hand. The body is base64. */
export interface ProbeRequest {
  readonly method: string;
  /** Path and query below the gateway's address. */
  readonly target: string;
  readonly headers: readonly (readonly [string, string])[];
  readonly body: string | null;
}

/** What came of a probe. */
export interface ProbeOutcome {
  readonly outcome: 'passed' | 'refused';
  readonly code: string;
  readonly operands: Operands;
  readonly steps: readonly StepTrace[];
  readonly apiId: string | null;
  readonly operationId: string | null;
  readonly answer: ProbeAnswer | null;
}

export interface ProbeAnswer {
  readonly status: number;
  readonly headers: readonly (readonly [string, string])[];
  /** Text of the body as far as it was kept; null when it is not text. */
  readonly body: string | null;
  readonly bodyBytes: number;
  readonly truncated: boolean;
}

/** A node's answer to something it was asked over the feed. */
export interface NodeAnswer {
  readonly askId: string;
  readonly probe: ProbeOutcome | null;
  readonly error: string | null;
}

/** What a node says of itself: on connecting, when a release took effect, and when its providers change state. */
export interface NodeStatus {
  readonly node: string;
  readonly pid: number;
  readonly startedAt: number;
  readonly gatewayUrl: string;
  readonly release: { readonly number: number; readonly hash: string; readonly effectiveAt: number } | null;
  /** Why the release last offered was not taken; null when it was. */
  readonly refusedRelease: { readonly number: number; readonly reason: string } | null;
  readonly providers: readonly NodeProviderReport[];
  readonly knownTokens: number;
  readonly inFlight: number;
}

export interface NodeProviderReport {
  readonly providerId: string;
  readonly state: 'reachable' | 'last-good' | 'failing' | 'not-asked';
  readonly reason: string;
  readonly fetchedAt: number | null;
  readonly triedAt: number | null;
  readonly keys: readonly {
    readonly kid: string | null;
    readonly keyType: string;
    readonly curve: string | null;
    readonly bits: number;
    readonly algorithm: string | null;
    readonly thumbprint: string;
  }[];
  readonly refused: readonly { readonly index: number; readonly kid: string | null; readonly reason: string }[];
}

/** Header by which the control plane marks a probe of the live gateway, so that its trace is kept whatever the load. */
export const PROBE_HEADER = 'x-virga-probe';
/** Header in which the gateway gives the id of a request's trace. */
export const REQUEST_ID_HEADER = 'x-request-id';
