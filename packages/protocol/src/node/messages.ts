import type {
  AuthorizerRule,
  AuthorizerSays,
  CarriedDocument,
  CheckId,
  CheckMode,
  DirectoryChange,
  KnownClient,
  LimitSubject,
  Operands,
  Principal,
  RequestOutcome,
  Revocation,
  StepId,
  StepTrace,
} from '@virga/core';

/** Raised when what goes between control plane and nodes changes so that a node of before cannot follow: 2 has documents in parts. */
export const FEED_VERSION = 7;

/**
 * One line of the feed that the control plane keeps open to each node: JSON, one message a line. Documents name their parts
 * by hash; a node asks for those that it does not have.
 */
export type FeedMessage =
  | { readonly type: 'hello'; readonly controlPlane: string }
  | { readonly type: 'heartbeat' }
  | { readonly type: 'release'; readonly number: number; readonly hash: string; readonly document: CarriedDocument }
  /** Values of secrets by name, for this node alone, and the revocations in force. Both replace what was sent before. */
  | { readonly type: 'private-facts'; readonly secrets: Readonly<Record<string, string>>; readonly revocations: readonly Revocation[] }
  /**
   * Facts about clients that changed, one message for each change and in order: `number` is one more than that of the
   * message before. A whole directory comes in parts that share one number, the last of which says so; it replaces what
   * was there.
   */
  | {
      readonly type: 'directory';
      readonly number: number;
      readonly whole: { readonly last: boolean; readonly first: boolean } | null;
      readonly changes: readonly DirectoryChange[];
    }
  | { readonly type: 'refresh-provider'; readonly askId: string; readonly providerId: string }
  | {
      readonly type: 'probe';
      readonly askId: string;
      readonly hash: string;
      readonly document: CarriedDocument;
      readonly request: ProbeRequest;
      readonly forward: boolean;
    }
  | { readonly type: 'try-authorizer'; readonly askId: string; readonly request: TryAuthorizerAsk }
  /** How the limits stand that requests of a client are counted by. */
  | { readonly type: 'limits-of'; readonly askId: string; readonly client: KnownClient }
  /** Answers of an authorizer that were kept are forgotten; of all where no name is given. */
  | { readonly type: 'drop-answers'; readonly name: string | null }
  | { readonly type: 'examine'; readonly askId: string; readonly hash: string; readonly document: CarriedDocument; readonly request: ExamineAsk };

/**
 * What a node asks for parts of documents with, all at once. The answer has one line for each, in the same order: the JSON
 * text of the part, and an empty line where nobody knows it.
 */
export interface PartsAsk {
  readonly hashes: readonly string[];
}

/** Tokens to be held against one operation of a document, check by check. */
export interface ExamineAsk {
  readonly apiId: string;
  readonly operationId: string;
  readonly credentials: readonly string[];
  /** Header fields that go along, such as a DPoP proof. Names in lower case. */
  readonly headers: Readonly<Record<string, string>>;
  /** Thumbprint of a client certificate to pretend; null for none. */
  readonly certificate: string | null;
  /** An API key that goes along; null for none. */
  readonly key: string | null;
}

/** What came of one of them. `steps` is the gateway's own fall line, `checks` every single check. */
export interface ExamineOutcome {
  readonly code: string;
  readonly operands: Operands;
  readonly steps: readonly StepTrace[];
  readonly checks: readonly { readonly id: CheckId; readonly step: StepId; readonly code: string; readonly operands: Operands; readonly decides: boolean }[];
  readonly principal: Principal | null;
}

/** An authorizer to be asked with inputs given by hand: JSON texts, as its cases have them. */
export interface TryAuthorizerAsk {
  readonly rule: AuthorizerRule;
  readonly inputs: readonly string[];
}

/** What came of one of them. */
export interface TriedAuthorizer {
  readonly says: AuthorizerSays;
  readonly code: string;
  readonly operands: Operands;
  /** Header fields that it passes up. */
  readonly headers: Readonly<Record<string, string>>;
  readonly covers: readonly { readonly method: string; readonly path: string }[];
  readonly seconds: number | null;
  readonly tookMs: number;
}

/** What asking one authorizer cost a node since it started. */
export interface NodeAuthorizerReport {
  readonly name: string;
  readonly allowed: number;
  readonly denied: number;
  readonly signIn: number;
  /** Without an answer: refused. */
  readonly failed: number;
  /** Of all of these, by an answer that was kept. */
  readonly kept: number;
  /** Calls that were made, by classes of time. */
  readonly times: readonly number[];
}

/** A request composed by hand. The body is base64. */
export interface ProbeRequest {
  readonly method: string;
  /** Path and query below the gateway's address. */
  readonly target: string;
  readonly headers: readonly (readonly [string, string])[];
  readonly body: string | null;
  /** Thumbprint of a client certificate to pretend; null or left out for none. */
  readonly certificate?: string | null;
  /** Address that the request comes from; null or left out for that of the control plane. */
  readonly from?: string | null;
}

/** What came of a probe. */
export interface ProbeOutcome {
  readonly outcome: RequestOutcome;
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

/** What a node learned from traffic and found in it since it told it last. The same report sent twice is taken once. */
export interface SightingReport {
  readonly id: string;
  readonly node: string;
  /** `learned` is a `LearnedBatch` as `pack` writes it. */
  readonly apis: readonly { readonly apiId: string; readonly learned: string }[];
  /** Requests that were looked into, and those that were passed over because there were too many. */
  readonly taken: number;
  readonly dropped: number;
}

/** How one limit that requests of a client are counted by stands; times in milliseconds. */
export interface NodeStanding {
  readonly name: string;
  /** The API that it is of; empty for the gateway's and for those of plans. */
  readonly apiId: string;
  /** Where it is set, in words. */
  readonly rule: string;
  readonly by: LimitSubject;
  /** Whose requests are counted together, in words; empty where it is the client's alone. */
  readonly whose: string;
  readonly of: number;
  readonly left: number;
  readonly waitMs: number;
  readonly resetMs: number | null;
  readonly mode: CheckMode;
}

/** A limit of which nobody can say how it stands: it hangs on requests, and none of the client's is remembered. */
export interface NodeUnknownLimit {
  readonly name: string;
  readonly rule: string;
  readonly by: LimitSubject;
}

/** How the limits stand that requests of a client are counted by. */
export interface NodeStandings {
  readonly standings: readonly NodeStanding[];
  readonly unknown: readonly NodeUnknownLimit[];
  /** So many limits beside these were not looked at. */
  readonly more: number;
}

/** A node's answer to something it was asked over the feed. */
export interface NodeAnswer {
  readonly askId: string;
  readonly probe: ProbeOutcome | null;
  readonly examined?: readonly ExamineOutcome[] | null;
  readonly tried?: readonly TriedAuthorizer[] | null;
  readonly standings?: NodeStandings | null;
  readonly error: string | null;
}

/** What a node says of itself: on connecting, when a release took effect, and when its providers change state. */
export interface NodeStatus {
  readonly node: string;
  readonly pid: number;
  /** The version of the feed that it speaks; nodes of before there was a second one say nothing. */
  readonly feed?: number;
  readonly startedAt: number;
  readonly gatewayUrl: string;
  readonly release: { readonly number: number; readonly hash: string; readonly effectiveAt: number } | null;
  /** Why the release last offered was not taken; null when it was. */
  readonly refusedRelease: { readonly number: number; readonly reason: string } | null;
  readonly providers: readonly NodeProviderReport[];
  readonly knownTokens: number;
  /** Nodes of before there were authorizers say nothing. */
  readonly authorizers?: readonly NodeAuthorizerReport[];
  /** Number of the last change of the directory that is in force here; null before any is known. */
  readonly directory: number | null;
  readonly knownClients: number;
  readonly inFlight: number;
  /** Address of the TLS listener, where there is one. */
  readonly tlsUrl?: string | null;
  /** Whether it counts requests by itself or together with other nodes, and whether these counters can be reached. */
  readonly counts?: 'each' | 'together' | 'away';
  /** What its operator should know, in words: what on its disk is not served, and what cannot be written. */
  readonly problems?: readonly string[];
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
  /** Calls to its introspection endpoint since the node started; null for providers with keys. */
  readonly calls: number | null;
}

/** Header by which the control plane marks a probe of the live gateway, so that its trace is kept whatever the load. */
export const PROBE_HEADER = 'x-virga-probe';
/** Header by which the control plane says from where somebody calls whose call the portal carries. Believed with its MAC only. */
export const CALLER_HEADER = 'x-virga-caller';
/** Header in which the gateway gives the id of a request's trace. */
export const REQUEST_ID_HEADER = 'x-request-id';
