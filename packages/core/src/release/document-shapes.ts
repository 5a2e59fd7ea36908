import { CALLER_FIELDS } from '../document/caller-fields.js';
import { AUTHORIZER_ANSWERS } from '../document/authorizer-rule.js';
import { MAPPED_MEMBERS } from '../document/claim-map.js';
import { CONTRACT_MODES, CONTRACT_PARTS } from '../document/contract-rule.js';
import { CALLER_MEMBERS } from '../document/message-rule.js';
import { LIMIT_METHODS, LIMIT_SUBJECTS } from '../document/limit-rule.js';
import { MODED_CHECKS } from '../document/modes.js';
import { QUOTA_SPANS } from '../document/plan-rule.js';
import { SCHEME_TYPES } from '../document/release-document.js';
import { LEARNED_ANSWERS } from '../document/learning-rule.js';
import { SENSITIVE_ACTIONS } from '../document/sensitive-rule.js';
import { UNMATCHED_MODES } from '../document/unmatched-rule.js';
import { UPSTREAM_LIMIT_RANGES } from '../document/upstream-limits.js';
import { anyRecord, flag, listOf, nullable, number, object, someOf, someText, tagged, text, word, wordOr, type Members, type Shape } from '../util/shape.js';

// How the parts of a release document are built, as its types say. Ranges and references are checked elsewhere.

const REQUIREMENT = object({ scheme: someText, scopes: listOf(text), match: word('all', 'any'), roles: listOf(text) });
export const ACCESS = tagged('kind', {
  open: anyRecord,
  public: anyRecord,
  required: object({ alternatives: listOf(listOf(REQUIREMENT)) }),
});

const PLACE = tagged('kind', {
  header: object({ name: text, scheme: nullable(text) }),
  cookie: object({ name: text }),
  query: object({ name: text }),
});

const TOKEN_MEMBERS: Members = {
  places: listOf(PLACE),
  type: text,
  audiences: wordOr('ANY_AUDIENCE', listOf(text)),
  algorithms: wordOr('AS_PROVIDER', listOf(text)),
  clients: wordOr('ANY_CLIENT', listOf(text)),
  leewaySeconds: wordOr('AS_PROVIDER', number),
  maxAgeSeconds: nullable(number),
  claims: listOf(object({ path: text, values: wordOr('ANY_VALUE', listOf(text)) })),
  dpop: word('if-bound', 'required'),
  dpopNonce: flag,
  certificate: word('if-bound', 'required'),
  decryptionSecret: nullable(text),
  stepUp: nullable(object({ acrValues: listOf(text), maxAgeSeconds: nullable(number) })),
};

const MODE = word('observe', 'enforce');
export const MODES = object({ all: MODE, checks: someOf(Object.fromEntries(MODED_CHECKS.map((check) => [check, MODE]))) });

const MESSAGE_MEMBERS: Members = {
  requestBytes: wordOr('ANY_SIZE', number),
  contentTypes: wordOr('ANY_TYPE', listOf(text)),
  answerBytes: wordOr('ANY_SIZE', number),
};

const CONTRACT_PART = Object.fromEntries(CONTRACT_PARTS.map((part) => [part, word(...CONTRACT_MODES)]));
const CONTRACT_MEMBERS: Members = {
  unknownQuery: word('allow', 'refuse'),
  unknownMembers: word('as-said', 'refuse'),
  readOnlySent: word('allow', 'refuse'),
  formats: flag,
  bodyBytes: number,
  largerBody: word('pass', 'refuse'),
};

const HEADER_VALUE = tagged('kind', { text: object({ text }), caller: object({ member: word(...CALLER_MEMBERS) }), metadata: object({ name: someText }) });
const HEADER_EDIT = tagged('action', {
  set: object({ name: text, value: HEADER_VALUE }),
  add: object({ name: text, value: HEADER_VALUE }),
  remove: object({ name: text }),
});

const CLAIM_SOURCE: Members = {
  paths: listOf(text),
  split: word('space', 'comma', 'none'),
  stripPrefixes: listOf(text),
  table: listOf(object({ from: text, to: listOf(text) })),
  unlisted: word('keep', 'drop'),
  fallback: listOf(text),
};
const CLAIM_MAP = object({
  ...Object.fromEntries(MAPPED_MEMBERS.map((member): [string, Shape] => [member, object(CLAIM_SOURCE)])),
  attributes: listOf(object({ name: text, ...CLAIM_SOURCE })),
});

const OPAQUE: Members = { endpoint: text, positiveSeconds: number, negativeSeconds: number, timeoutMs: number, impliedAudience: nullable(text) };
const ENDPOINT_CREDENTIAL = object({ method: word('client_secret_basic', 'client_secret_post', 'private_key_jwt'), clientId: text, secret: text });
export const PROVIDER = object({
  id: text,
  name: text,
  issuer: text,
  source: tagged('kind', {
    discovery: anyRecord,
    'key-set-url': object({ url: text }),
    keys: object({ keys: listOf(anyRecord) }),
    secret: object({ secret: text }),
    introspection: object({ credential: ENDPOINT_CREDENTIAL, ...OPAQUE }),
    userinfo: object(OPAQUE),
  }),
  algorithms: listOf(text),
  leewaySeconds: number,
  lastGoodSeconds: number,
  allowLoopbackHttp: flag,
  privateHosts: listOf(text),
  claimMap: CLAIM_MAP,
  draftOnly: flag,
});

const ADDRESSES = tagged('kind', { anywhere: anyRecord, only: object({ of: listOf(text) }), except: object({ of: listOf(text) }) });
export const NETWORK = object({ name: text, description: text, entries: listOf(text) });
export const FENCE = object({ mode: MODE, addresses: ADDRESSES });
export const CALLER_ADDRESS = nullable(object({ header: word('forwarded', 'x-forwarded-for'), trustedHops: listOf(text) }));
const CONDITIONS = listOf(tagged('kind', { shared: object({ name: text }), own: object({ name: text, source: text }) }));
export const CONDITION = object({ name: text, description: text, source: text });
const QUESTION = object({
  subjectType: text,
  subjectId: text,
  action: text,
  resourceType: text,
  resourceId: text,
  properties: listOf(object({ of: word('subject', 'action', 'resource', 'context'), name: text, value: text })),
});
export const AUTHORIZER = object({
  name: text,
  description: text,
  by: tagged('kind', {
    script: object({ source: text, timeMs: number, megabytes: number, tables: listOf(text), body: flag }),
    service: object({
      url: text,
      credential: nullable(tagged('kind', { bearer: object({ secret: text }), basic: object({ name: text, secret: text }) })),
      timeoutMs: number,
      allowLoopbackHttp: flag,
      privateHosts: listOf(text),
      question: QUESTION,
      signIn: nullable(object({ pointer: text, value: text })),
    }),
  }),
  passes: listOf(text),
  cache: nullable(object({ seconds: number, key: listOf(text) })),
  cases: listOf(object({ name: text, input: text, expected: word(...AUTHORIZER_ANSWERS) })),
});
export const CERTIFICATE_HEADER = nullable(object({ name: text, trustedHops: listOf(text) }));

const LIMIT_SUBJECT = tagged('kind', {
  ...Object.fromEntries(LIMIT_SUBJECTS.map((kind): [string, Shape] => [kind, anyRecord])),
  header: object({ name: someText }),
  attribute: object({ name: someText }),
  metadata: object({ name: someText }),
});
export const LIMITS = listOf(
  object({ name: someText, by: LIMIT_SUBJECT, method: word(...LIMIT_METHODS), requests: number, seconds: number, burst: nullable(number), mode: MODE }),
);
export const GUESSING = nullable(object({ mode: MODE, seconds: number, byAddress: nullable(number), byCredential: nullable(number) }));
export const COUNTING = object({ away: word('refuse', 'alone'), sharePercent: number, tell: word('always', 'refusals') });
const PLAN_USE = object({ asked: flag, attribute: nullable(someText) });
export const PLAN = object({
  id: someText,
  name: someText,
  description: text,
  covers: listOf(object({ apiId: someText, operations: wordOr('ALL', listOf(text)) })),
  rate: nullable(object({ requests: number, seconds: number, burst: number })),
  quota: nullable(object({ requests: number, per: word(...QUOTA_SPANS), zone: someText })),
  atOnce: nullable(number),
  requestBytes: nullable(number),
  mode: MODE,
  approval: word('by-hand', 'by-itself'),
});

/** An API without its operations, which are checked a few at a time. */
export const API = object({
  id: text,
  name: text,
  version: text,
  basePath: text,
  enabled: flag,
  upstream: object({
    url: text,
    connectTimeoutMs: number,
    responseTimeoutMs: number,
    sendCredential: flag,
    callerFields: word(...CALLER_FIELDS),
    limits: object(Object.fromEntries(Object.keys(UPSTREAM_LIMIT_RANGES).map((name) => [name, number]))),
  }),
  resource: object({ identifier: text, scopes: listOf(object({ name: text, description: text })) }),
  token: object(TOKEN_MEMBERS),
  cors: nullable(object({ origins: listOf(text), credentials: flag, requestHeaders: listOf(text), exposedHeaders: listOf(text), maxAgeSeconds: number })),
  schemes: listOf(
    object({ name: text, type: word(...SCHEME_TYPES), declared: text, metadataUrl: nullable(text), providers: listOf(text), place: nullable(PLACE) }),
  ),
  access: ACCESS,
  message: object(MESSAGE_MEMBERS),
  headers: object({ up: listOf(HEADER_EDIT), back: listOf(HEADER_EDIT), hidePlatform: flag }),
  addresses: ADDRESSES,
  conditions: CONDITIONS,
  authorizers: listOf(text),
  modes: MODES,
  contract: object({ parts: object(CONTRACT_PART), ...CONTRACT_MEMBERS }),
  unmatched: listOf(object({ prefix: text, mode: word(...UNMATCHED_MODES) })),
  learning: object({ on: flag, answers: word(...LEARNED_ANSWERS) }),
  sensitive: object({
    uses: listOf(object({ detector: text, request: nullable(word('tell', 'refuse')), answer: nullable(word(...SENSITIVE_ACTIONS)) })),
    bodyBytes: number,
    largerBody: word('pass', 'refuse'),
  }),
  plan: PLAN_USE,
  limits: LIMITS,
  contractHash: nullable(text),
  operations: listOf(anyRecord),
});

export const OPERATION = object({
  id: text,
  method: text,
  path: text,
  operationId: nullable(text),
  summary: text,
  access: nullable(ACCESS),
  token: nullable(someOf(TOKEN_MEMBERS)),
  message: nullable(someOf(MESSAGE_MEMBERS)),
  modes: nullable(MODES),
  addresses: nullable(ADDRESSES),
  conditions: nullable(CONDITIONS),
  authorizers: nullable(listOf(text)),
  contract: nullable(someOf({ parts: someOf(CONTRACT_PART), ...CONTRACT_MEMBERS })),
  plan: nullable(PLAN_USE),
  limits: LIMITS,
  hidden: flag,
});

export const DETECTOR = object({ id: text, name: someText, pattern: text });
