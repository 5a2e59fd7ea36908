/** Code of the operator's own, or a decision service, that says whether a request may pass. Rules of APIs and operations call it by its name. */
export interface AuthorizerRule {
  /** Letters, digits, blanks, dashes and underscores, beginning with a letter. */
  readonly name: string;
  readonly description: string;
  readonly by: ScriptSource | ServiceSource;
  /** Header fields that an answer may pass up, in lower case. A caller's own fields of these names never travel on. */
  readonly passes: readonly string[];
  /** Null asks for every request. */
  readonly cache: AnswerCacheRule | null;
  readonly cases: readonly AuthorizerCase[];
}

/** JavaScript (ECMA-262) that runs in a sandbox: `function decide(input)`. */
export interface ScriptSource {
  readonly kind: 'script';
  readonly source: string;
  /** How long one call may take, milliseconds. */
  readonly timeMs: number;
  /** What one call may hold, megabytes of 2^20 bytes. */
  readonly megabytes: number;
  /** Tables that it reads, by their names. */
  readonly tables: readonly string[];
  /** Whether it is shown the request's body: it is asked when that has come whole. */
  readonly body: boolean;
}

/** A decision service that speaks the OpenID AuthZEN Authorization API 1.0, Access Evaluation. */
export interface ServiceSource {
  readonly kind: 'service';
  /** Address of its evaluation endpoint. */
  readonly url: string;
  readonly credential: ServiceCredential | null;
  /** How long it may take to answer, milliseconds. */
  readonly timeoutMs: number;
  /** Lets it be asked over plain http, and only when its host is loopback. */
  readonly allowLoopbackHttp: boolean;
  /** Hosts in private networks that may be asked, by name. */
  readonly privateHosts: readonly string[];
  readonly question: ServiceQuestion;
  /** What of its answer says that the caller should prove itself again; null where it never says that. */
  readonly signIn: { readonly pointer: string; readonly value: string } | null;
}

/** How the gateway proves itself to the service; the secret by its name. */
export type ServiceCredential =
  { readonly kind: 'bearer'; readonly secret: string } | { readonly kind: 'basic'; readonly name: string; readonly secret: string };

/** What is asked, each value as an expression (CEL) over the variables of conditions. */
export interface ServiceQuestion {
  readonly subjectType: string;
  readonly subjectId: string;
  readonly action: string;
  readonly resourceType: string;
  readonly resourceId: string;
  readonly properties: readonly { readonly of: 'subject' | 'action' | 'resource' | 'context'; readonly name: string; readonly value: string }[];
}

/** Which requests share an answer, and for how long. */
export interface AnswerCacheRule {
  readonly seconds: number;
  readonly key: readonly CacheKeyPart[];
}

/** `header:NAME` is one header field, by its name in lower case. */
export type CacheKeyPart = (typeof CACHE_KEY_PARTS)[number] | `header:${string}`;

/**
 * What an answer may hang on: all that is known of the caller, or single things of it; or nothing of it at all, by a word in
 * capitals; and what was asked for.
 */
export const CACHE_KEY_PARTS = ['caller', 'subject', 'client', 'roles', 'ANYBODY', 'operation', 'path', 'query', 'address'] as const;
/** Parts that say whose answer it is: at least one stands in every key. */
export const WHO_PARTS: ReadonlySet<string> = new Set(['caller', 'subject', 'client', 'roles', 'ANYBODY']);
/** Nothing that an authorizer is shown is left out but the time. */
export const WIDEST_KEY: readonly CacheKeyPart[] = ['caller', 'operation', 'path', 'query', 'address'];

/** What an answer says. `error` is no answer: the request is refused. */
export const AUTHORIZER_ANSWERS = ['allow', 'deny', 'sign-in', 'error'] as const;
export type AuthorizerSays = (typeof AUTHORIZER_ANSWERS)[number];

/** An input and what the authorizer is to answer to it. */
export interface AuthorizerCase {
  readonly name: string;
  /** JSON text of an object with the variables of conditions. */
  readonly input: string;
  readonly expected: AuthorizerSays;
}

/**
 * Bounds of authorizers: how many there are, and of one rule; characters of a source, of a case's input, of all authorizers
 * together; cases, tables and passed fields of one; least and most of the limits of a call; seconds that an answer is kept;
 * characters of an answer, of its reason and of a passed value; patterns that an answer covers.
 */
export const AUTHORIZER_BOUNDS = {
  authorizers: 50,
  perRule: 5,
  source: 32_768,
  input: 16_384,
  together: 1_048_576,
  cases: 50,
  tables: 10,
  passes: 20,
  keyParts: 20,
  properties: 30,
  timeMs: [1, 200],
  megabytes: [1, 32],
  timeoutMs: [50, 30_000],
  cacheSeconds: [1, 3600],
  answer: 16_384,
  reason: 300,
  passed: 2000,
  covers: 20,
} as const;

/** Limits of a script, and what it is shown, where nothing else is said. */
export const SCRIPT_DEFAULTS = { timeMs: 20, megabytes: 8, body: false } as const;
