import { SCRIPT_DEFAULTS } from '@virga/core';
import type { AuthorizerInput, ScriptDto, ServiceDto } from '@virga/protocol';

/** A script to begin with. */
export interface ScriptExample {
  readonly name: string;
  readonly source: string;
  readonly tables: readonly string[];
  /** Whether it is shown bodies. */
  readonly body?: boolean;
}

export const SCRIPT_EXAMPLES: readonly ScriptExample[] = [
  {
    name: 'only their own',
    tables: [],
    source: `// The name in the path is that of the caller.
function decide({ principal, request }) {
  if (request.parameters.owner === principal.subject) return { allow: true };
  return { allow: false, reason: 'this belongs to somebody else', tell: true };
}
`,
  },
  {
    name: 'by a table',
    tables: ['lockouts'],
    source: `// Whatever stands in the table is shut; the reason stands beside it.
function decide({ request, resource }) {
  const row = resource.lockouts[request.parameters.gateId];
  return row ? { allow: false, reason: row.reason, tell: true } : { allow: true };
}
`,
  },
  {
    name: 'a fresh sign-in',
    tables: [],
    source: `// Whoever signed in longer than ten minutes ago signs in again.
function decide({ principal, now }) {
  if (!principal.signedInAt) return { allow: false, signIn: true, reason: 'nobody says when the caller signed in' };
  const minutes = (timeOf(now) - timeOf(principal.signedInAt)) / 60_000;
  return minutes <= 10 ? { allow: true } : { allow: false, signIn: true, reason: 'sign in again', tell: true };
}
`,
  },
  {
    name: 'by what is sent',
    tables: [],
    body: true,
    source: `// Whoever is no auditor sends amounts of at most 500. A body that cannot be read never comes here: it refuses.
function decide({ principal, request }) {
  const { body } = request;
  if (typeof body?.amount !== 'number') return { allow: false, reason: 'the body names no amount', tell: true };
  return { allow: body.amount <= 500 || principal.roles.includes('auditor'), reason: 'more than may be sent at once', tell: true };
}
`,
  },
  {
    name: 'good for a whole branch',
    tables: [],
    source: `// One answer for everything below one path: with answers kept, it is asked once for all of it.
function decide({ principal }) {
  const allow = principal.roles.includes('auditor');
  return { allow, covers: [{ method: 'GET', path: '/accounts/**' }], seconds: 30 };
}
`,
  },
];

export const newScript = (): ScriptDto => ({
  source: `// True lets the request pass. What is thrown, takes too long or answers with anything else refuses it.
function decide({ principal, client, request, resource, now }) {
  return { allow: principal.roles.includes('rider') };
}
`,
  timeMs: SCRIPT_DEFAULTS.timeMs,
  megabytes: SCRIPT_DEFAULTS.megabytes,
  tables: [],
  body: SCRIPT_DEFAULTS.body,
});

export const newService = (): ServiceDto => ({
  url: '',
  credential: null,
  timeoutMs: 1000,
  allowLoopbackHttp: false,
  privateHosts: [],
  question: {
    subjectType: 'user',
    subjectId: 'principal.subject',
    action: 'request.method',
    resourceType: 'operation',
    resourceId: 'request.operation',
    properties: [],
  },
  signIn: null,
});

export const newAuthorizer = (): AuthorizerInput => ({ name: '', description: '', script: newScript(), service: null, passes: [], cache: null, cases: [] });

/** The input that a case begins with. */
export const newCaseInput = (tables: readonly string[]): string =>
  JSON.stringify(
    {
      principal: { subject: 'somebody', roles: ['rider'], scopes: [], attributes: {} },
      client: { id: 'a-client' },
      credentials: ['token'],
      request: { method: 'GET', path: '/', parameters: {}, query: {}, headers: {}, address: '192.0.2.7' },
      resource: Object.fromEntries(tables.map((name) => [name, {}])),
    },
    null,
    1,
  );
