import { comparison, failing, list, meeting } from './code-entry.js';

const AMBIGUOUS = 'RFC 3986 section 6.2.2, RFC 9110 section 4.2.3';
const ONE_SPELLING = 'Send the path in its plain form. The gateway refuses spellings that it and an upstream could read as two different paths.';

/** Path hygiene, routing and CORS. */
export const ROUTE_CODES = {
  'route.matched': meeting<{ api: string; operation: string; parameters: readonly string[] }>('route', {
    example: { api: 'Headgates', operation: 'GET /gates/{gateId}', parameters: ['gateId = n-4'] },
    sentence: (o) => `${o.api}, ${o.operation}.`,
    compare: (o) => o.parameters.map((item) => comparison('path parameter', null, item)),
  }),
  'path.target': failing<{ found: string }>('route', 400, {
    example: { found: '*' },
    title: 'The request target is not supported',
    sentence: (o) => `The request target ${o.found} is not a path.`,
    standard: 'RFC 9112 section 3.2',
    remedy: 'Send a path that begins with a slash, or an absolute http URL of this gateway.',
  }),
  'path.too-long': failing<{ length: number; limit: number }>('route', 414, {
    example: { length: 9000, limit: 8192 },
    title: 'The request target is too long',
    sentence: (o) => `The request target has ${o.length} characters; at most ${o.limit} are read.`,
    compare: (o) => [comparison('characters', `at most ${o.limit}`, String(o.length))],
    standard: 'RFC 9110 section 15.5.15',
    remedy: 'Move long values from the query to the body.',
  }),
  'path.malformed-escape': failing<{ at: number }>('route', 400, {
    example: { at: 7 },
    title: 'The path is not well-formed',
    sentence: (o) => `At character ${o.at} the path has a percent sign without two hexadecimal digits, or a character that a path cannot hold.`,
    standard: 'RFC 3986 section 2.1',
    remedy: 'Percent-encode the path in the client.',
  }),
  'path.encoded-separator': failing<{ found: string }>('route', 400, {
    example: { found: '%2F' },
    title: 'The path has an encoded separator',
    sentence: (o) => `The path has ${o.found}, which an upstream may read as a separator.`,
    standard: AMBIGUOUS,
    remedy: ONE_SPELLING,
  }),
  'path.control-character': failing<{ found: string }>('route', 400, {
    example: { found: 'U+0000' },
    title: 'The path has a control character',
    sentence: (o) => `The path has the control character ${o.found}.`,
    standard: 'RFC 3986 section 3.3',
    remedy: 'Nothing sends this by accident; look at who called.',
  }),
  'path.dot-segment': failing<{ at: number }>('route', 400, {
    example: { at: 7 },
    title: 'The path has a dot segment',
    sentence: (o) => `Segment ${o.at} of the path is “.” or “..”, plainly or encoded.`,
    standard: 'RFC 3986 sections 3.3 and 5.2.4',
    remedy: 'Clients resolve dot segments before they send. A request that still has one is hand-made or passed through something that did not resolve it.',
  }),
  'path.empty-segment': failing<{ at: number }>('route', 400, {
    example: { at: 7 },
    title: 'The path has an empty segment',
    sentence: (o) => `Segment ${o.at} of the path is empty, or some upstreams take it for empty.`,
    standard: AMBIGUOUS,
    remedy: ONE_SPELLING + ' A base address that ends with a slash is the usual cause.',
  }),
  'path.matrix-parameter': failing<{ at: number }>('route', 400, {
    example: { at: 7 },
    title: 'The path has a parameter behind a semicolon',
    sentence: (o) =>
      `Segment ${o.at} of the path has a semicolon; some upstreams cut what follows it before they route. One is taken where the contract has a parameter in the style “matrix” and paths are held against it.`,
    standard: AMBIGUOUS,
    remedy: ONE_SPELLING + ' Write %3B where the semicolon is data.',
  }),
  'path.double-encoding': failing<{ found: string }>('route', 400, {
    example: { found: '%252e' },
    title: 'The path is encoded twice',
    sentence: (o) => `The path has ${o.found}, an escape inside an escape.`,
    standard: 'RFC 3986 section 2.4',
    remedy: 'Encode the path once in the client.',
  }),
  'path.ambiguous': failing<{ segment: string; reserved: string; found?: string }>('route', 400, {
    example: { segment: '/gates/LIST', reserved: 'GET /gates/list' },
    title: 'The path could mean two operations',
    sentence: (o) =>
      `${o.segment} leads to ${o.found ?? 'a parameter'} as it is spelt, but an upstream that folds case, trims or decodes could read it as ${o.reserved}, which has rules of its own.`,
    compare: (o) => [comparison('path', `exactly ${o.reserved}, or something clearly else`, o.segment)],
    standard: AMBIGUOUS,
    remedy: ONE_SPELLING,
  }),
  'route.no-api': failing<{ path: string }>('route', 404, {
    example: { path: '/gates/n-4' },
    title: 'Nothing is served here',
    sentence: (o) => `No API of this release has a base path that ${o.path} begins with.`,
    standard: 'RFC 9110 section 15.5.5',
    remedy: 'Compare the path with the base paths under APIs. If the API is new, look at the strip at the top: it may not be published.',
  }),
  'route.api-off': failing<{ api: string }>('route', 404, {
    example: { api: 'Headgates' },
    title: 'Nothing is served here',
    sentence: (o) => `The API ${o.api} is switched off in this release.`,
    standard: 'RFC 9110 section 15.5.5',
    remedy: 'Switch the API on and publish.',
  }),
  'route.let-through': meeting<{ api: string; path: string; prefix: string }>('route', {
    example: { api: 'Meter readings', path: '/readings/v0/export', prefix: '/v0' },
    sentence: (o) => `No operation of ${o.api} matches ${o.path}; paths below ${o.prefix} are let through by the API’s own rules.`,
  }),
  'route.no-operation': failing<{ api: string; path: string }>('route', 404, {
    example: { api: 'Headgates', path: '/gates/n-4' },
    title: 'Nothing is served here',
    sentence: (o) => `The API ${o.api} has no operation whose path matches ${o.path}.`,
    standard: 'RFC 9110 section 15.5.5; OpenAPI 3.1.2 section 4.8.8',
    remedy: 'If the upstream really serves it, bring in a contract that says so. Paths are compared with case, and a slash at the end counts.',
  }),
  'route.method-not-allowed': failing<{ method: string; allowed: readonly string[]; api: string }>('route', 405, {
    example: { method: 'PUT', allowed: ['GET', 'POST'], api: 'Headgates' },
    title: 'The method is not allowed here',
    sentence: (o) => `The API ${o.api} has this path, but not with the method ${o.method}.`,
    compare: (o) => [comparison('method', list(o.allowed), o.method)],
    standard: 'RFC 9110 section 15.5.6',
    remedy: 'Use one of the methods of the contract. Headers that override the method are ignored.',
  }),
  'route.method-instead': failing<{ method: string; instead: string; api: string }>('route', 400, {
    example: { method: 'POST', instead: 'DELETE', api: 'Headgates' },
    title: 'The query names another method',
    sentence: (o) =>
      `The request is ${o.method}, and “_method” in its query says ${o.instead}: an upstream of ${o.api} that believes it would run another operation.`,
    compare: (o) => [comparison('method', o.method, o.instead)],
    standard: 'common practice',
    remedy: 'Send the request with the method that is meant. A value that is no method passes.',
  }),
  'preflight.answered': meeting<{ origin: string; method: string }>('preflight', {
    example: { origin: 'https://page.example', method: 'PUT' },
    sentence: (o) => `A browser asked whether ${o.origin} may send ${o.method}; the gateway said yes before any credential check.`,
    standard: 'Fetch standard, CORS protocol (from memory)',
  }),
  'preflight.origin-refused': failing<{ origin: string; accepted: readonly string[] }>('preflight', 403, {
    example: { origin: 'https://page.example', accepted: ['https://desk.example'] },
    title: 'This origin may not call the API from a browser',
    sentence: (o) => `A browser page of ${o.origin} asked to call; the API takes ${list(o.accepted)}.`,
    compare: (o) => [comparison('origin', list(o.accepted), o.origin)],
    standard: 'Fetch standard, CORS protocol (from memory)',
    remedy: 'Add the origin to the API’s CORS rule if that page is meant to call it.',
  }),
} as const;
