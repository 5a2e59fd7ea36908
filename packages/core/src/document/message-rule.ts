/** What bodies may be, in both directions. Leaving a bound out takes a word in capitals, never a missing value. */
export interface MessageRule {
  /** Bytes of a request's body at most; `ANY_SIZE` leaves it to the upstream. */
  readonly requestBytes: number | 'ANY_SIZE';
  /** Media types that a request's body may have: `type/subtype`, `type/*`; `ANY_TYPE` leaves it to the upstream. */
  readonly contentTypes: readonly string[] | 'ANY_TYPE';
  /** Bytes of an answer's body at most. */
  readonly answerBytes: number | 'ANY_SIZE';
}

/** What one operation asks for instead of the API. */
export type MessageOverride = Partial<MessageRule>;

/** Nothing asked. */
export const ANY_MESSAGE: MessageRule = Object.freeze({ requestBytes: 'ANY_SIZE', contentTypes: 'ANY_TYPE', answerBytes: 'ANY_SIZE' });

/** Least and most of a bound on a body, bytes. */
export const BODY_BYTES = [0, 1_099_511_627_776] as const;

/** What a caller's identity is written from. */
export const CALLER_MEMBERS = ['client', 'subject', 'issuer', 'roles', 'scopes'] as const;
export type CallerMember = (typeof CALLER_MEMBERS)[number];

/**
 * What stands in a header: a text, a member of the caller, or of what is said of its client (`client.metadata`); these are left out
 * where nobody was proved to call, or nothing is said.
 */
export type HeaderValue =
  | { readonly kind: 'text'; readonly text: string }
  | { readonly kind: 'caller'; readonly member: CallerMember }
  | { readonly kind: 'metadata'; readonly name: string };

/**
 * One change of the header fields. `set` takes what came under the name away first, in whatever spelling, so that no caller
 * can forge it; `add` adds a field; `remove` takes it away. Names in lower case.
 */
export type HeaderEdit =
  { readonly action: 'set' | 'add'; readonly name: string; readonly value: HeaderValue } | { readonly action: 'remove'; readonly name: string };

/** Changes of header fields in two lanes, each in order. */
export interface HeaderLanes {
  /** On the way up. */
  readonly up: readonly HeaderEdit[];
  /** On the way back. */
  readonly back: readonly HeaderEdit[];
  /** Takes away what upstreams say of themselves on the way back: server, powered-by and their like. */
  readonly hidePlatform: boolean;
}

export const NO_LANES: HeaderLanes = Object.freeze({ up: [], back: [], hidePlatform: false });

/** Fields by which platforms tell what they are (common practice). */
export const PLATFORM_HEADERS: readonly string[] = [
  'server',
  'via',
  'x-powered-by',
  'x-runtime',
  'x-version',
  'x-generator',
  'x-served-by',
  'x-backend-server',
  'x-server',
  'x-host',
];
