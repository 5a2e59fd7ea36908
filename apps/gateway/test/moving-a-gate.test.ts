import { sourceOf, STANDARD_CLAIM_MAP, tokenRule, type ApiRule, type AuthorizerRule, type ConditionUse, type ReleaseDocument } from '@virga/core';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import type { GatewayNode } from '../src/gateway-node.js';
import { AUDIENCE, documentFor, echoUpstream, FakeControl, makeIssuer, startNode, until } from './harness.js';

let control: FakeControl;
let upstream: Awaited<ReturnType<typeof echoUpstream>>;
let issuer: Awaited<ReturnType<typeof makeIssuer>>;
let decides: Server;
let decidesAt: string;
let node: GatewayNode;
let url: string;
let number = 0;

const SECTIONS: Readonly<Record<string, string>> = { 'G-1': 'north-2', 'G-2': 'south-1', 'G-3': 'west-3', 'G-4': 'north-1', 'G-11': 'west-3' };
const LOCKED_OUT = ['G-11', 'G-2'];

beforeAll(async () => {
  control = new FakeControl();
  await control.start();
  [upstream, issuer] = await Promise.all([echoUpstream(), makeIssuer()]);
  const table = (id: string, columns: string[], rows: string[][]) => ({ what: 'table', id, value: { id, key: 'gate', columns, rows } }) as const;
  control.first.push({
    type: 'directory',
    number: 0,
    whole: { first: true, last: true },
    changes: [
      table('gates', ['gate', 'section'], Object.entries(SECTIONS)),
      table(
        'lockouts',
        ['gate'],
        LOCKED_OUT.map((gate) => [gate]),
      ),
    ],
  });
  control.first.push({ type: 'private-facts', secrets: {}, revocations: [] });
  interface Question {
    readonly subject: { readonly properties?: { readonly roles?: string[]; readonly sections?: string[] } };
    readonly resource: { readonly id: string };
  }
  decides = createServer((req, res) => {
    let text = '';
    req.on('data', (part) => (text += String(part)));
    req.on('end', () => {
      const { subject, resource } = JSON.parse(text) as Question;
      const { roles = [], sections = [] } = subject.properties ?? {};
      const section = SECTIONS[resource.id];
      const own = roles.includes('rider') && section !== undefined && sections.includes(section);
      res.end(JSON.stringify({ decision: section !== undefined && !LOCKED_OUT.includes(resource.id) && (own || roles.includes('dispatcher')) }));
    });
  });
  await new Promise<void>((resolve) => decides.listen(0, '127.0.0.1', resolve));
  decidesAt = `http://127.0.0.1:${(decides.address() as AddressInfo).port}/access/v1/evaluation`;
  ({ node, url } = await startNode(control));
  await until(() => node.status().directory === 0, 'the tables');
});
afterAll(async () => {
  await node.stop();
  await control.stop();
  for (const server of [upstream.server, issuer.server, decides]) {
    server.closeAllConnections();
    server.close();
  }
});

const MOVE = 'POST /open/{id}';

/** Moving a gate asks for a scope and a strong sign-in, whatever else decides. */
function documentOf(rules: Partial<ApiRule['operations'][number]>, authorizers: readonly AuthorizerRule[]): ReleaseDocument {
  const document = documentFor(upstream.url, issuer.issuer, {
    token: tokenRule([AUDIENCE], { type: 'at+jwt', stepUp: { acrValues: ['strong'], maxAgeSeconds: null } }),
  });
  const claimMap = { ...STANDARD_CLAIM_MAP, attributes: [{ name: 'sections', ...sourceOf(['sections']) }] };
  return {
    ...document,
    authorizers,
    providers: document.providers.map((provider) => ({ ...provider, claimMap })),
    apis: document.apis.map((api) => ({
      ...api,
      operations: api.operations.map((operation) => (operation.id === MOVE ? { ...operation, access: null, ...rules } : operation)),
    })),
  };
}

const gate = 'request.parameters.id';
const CONDITION: ConditionUse = {
  kind: 'own',
  name: 'own section',
  source: `${gate} in resource.gates && !(${gate} in resource.lockouts) && ("dispatcher" in principal.roles || ("rider" in principal.roles && resource.gates[${gate}].section in principal.attributes.sections))`,
};
const authorizer = (by: AuthorizerRule['by']): AuthorizerRule => ({ name: 'own section', description: '', by, passes: [], cache: null, cases: [] });
const SCRIPT = authorizer({
  kind: 'script',
  body: false,
  timeMs: 50,
  megabytes: 8,
  tables: ['gates', 'lockouts'],
  source: `function decide({ principal, request, resource }) {
    const gate = request.parameters.id;
    const section = resource.gates[gate]?.section;
    if (!section || resource.lockouts[gate]) return { allow: false };
    return { allow: principal.roles.includes('dispatcher') || (principal.roles.includes('rider') && (principal.attributes.sections ?? []).includes(section)) };
  }`,
});
const SERVICE = (): AuthorizerRule =>
  authorizer({
    kind: 'service',
    url: decidesAt,
    credential: null,
    timeoutMs: 2000,
    allowLoopbackHttp: true,
    privateHosts: [],
    signIn: null,
    question: {
      subjectType: 'user',
      subjectId: 'principal.subject',
      action: '"move"',
      resourceType: 'gate',
      resourceId: gate,
      properties: [
        { of: 'subject', name: 'roles', value: 'principal.roles' },
        { of: 'subject', name: 'sections', value: 'has(principal.attributes.sections) ? principal.attributes.sections : []' },
      ],
    },
  });

/** Who may move which gate, as the scenario says; the same whoever decides. */
const RIDER = { roles: ['rider'], sections: ['north-1', 'north-2'], acr: 'strong' };
const TABLE: readonly (readonly [string, object | null, string, number])[] = [
  ['nobody', null, 'G-4', 401],
  ['a rider, own section', RIDER, 'G-4', 200],
  ['a rider, the other own section', RIDER, 'G-1', 200],
  ['a rider, another section', RIDER, 'G-3', 403],
  ['a rider, a gate that nobody knows', RIDER, 'G-99', 403],
  ['a rider without sections', { roles: ['rider'], acr: 'strong' }, 'G-4', 403],
  ['a rider of the south, a gate that is locked out', { ...RIDER, sections: ['south-1'] }, 'G-2', 403],
  ['a rider who did not sign in strongly', { ...RIDER, acr: 'weak' }, 'G-4', 401],
  ['a rider without the scope', { ...RIDER, scope: 'other' }, 'G-4', 403],
  ['a dispatcher, any section', { roles: ['dispatcher'], acr: 'strong' }, 'G-3', 200],
  ['a dispatcher, a gate that is locked out', { roles: ['dispatcher'], acr: 'strong' }, 'G-11', 403],
  ['a grower', { roles: ['grower'], sections: ['north-1'], acr: 'strong' }, 'G-4', 403],
];

describe.each([
  ['a condition', () => documentOf({ conditions: [CONDITION] }, [])],
  ['a script', () => documentOf({ authorizers: ['own section'] }, [SCRIPT])],
  ['a decision service', () => documentOf({ authorizers: ['own section'] }, [SERVICE()])],
])('moving a gate, decided by %s', (_by, documentMade) => {
  beforeAll(async () => {
    number++;
    control.send({ type: 'release', number, hash: `h${number}`, document: documentMade() });
    await until(() => node.status().release?.number === number, `release ${number}`);
  });

  test.each(TABLE)('%s', async (_who, claims, id, wanted) => {
    const headers: Record<string, string> = claims === null ? {} : { authorization: `Bearer ${await issuer.sign({ ...claims })}` };
    expect((await fetch(`${url}/a/open/${id}`, { method: 'POST', headers })).status).toBe(wanted);
  });
});
