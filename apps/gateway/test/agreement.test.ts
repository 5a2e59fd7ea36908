import {
  ANY_REQUEST,
  NOTHING_KNOWN,
  STANDARD_CLAIM_MAP,
  sourceOf,
  Supposition,
  tokenRule,
  type AddressRule,
  type CheckMode,
  type ReleaseDocument,
  type SchemeRequirement,
  type SupposedCredential,
} from '@virga/core';
import { REQUEST_ID_HEADER } from '@virga/protocol/node';
import fc from 'fast-check';
import type { GatewayNode } from '../src/gateway-node.js';
import { AUDIENCE, documentFor, echoUpstream, FakeControl, makeIssuer, startNode, until } from './harness.js';

let control: FakeControl;
let upstream: Awaited<ReturnType<typeof echoUpstream>>;
let issuer: Awaited<ReturnType<typeof makeIssuer>>;
let node: GatewayNode;
let url: string;
let number = 0;

beforeAll(async () => {
  control = new FakeControl();
  await control.start();
  [upstream, issuer] = await Promise.all([echoUpstream(), makeIssuer()]);
  const gates = { id: 'gates', key: 'gate', columns: ['gate', 'open'], rows: [['G-1', 'yes']] };
  control.first.push({ type: 'directory', number: 0, whole: { first: true, last: true }, changes: [{ what: 'table', id: 'gates', value: gates }] });
  control.first.push({ type: 'private-facts', secrets: {}, revocations: [] });
  ({ node, url } = await startNode(control));
  await until(() => node.status().directory === 0, 'the table');
});
afterAll(async () => {
  await node.stop();
  await control.stop();
  for (const server of [upstream.server, issuer.server]) {
    server.closeAllConnections();
    server.close();
  }
});

const values = fc.subarray(['read', 'write', 'rider']);
const mode = fc.constantFrom<CheckMode>('enforce', 'observe');
const requirement = fc.record({ scheme: fc.constant('s'), scopes: values, match: fc.constantFrom<SchemeRequirement['match']>('all', 'any'), roles: values });
const rules = fc.record({
  alternatives: fc
    .tuple(fc.array(requirement, { minLength: 1, maxLength: 2 }), fc.array(fc.array(requirement, { maxLength: 1 }), { maxLength: 1 }))
    .map(([first, more]) => [first, ...more]),
  addresses: fc.constantFrom<AddressRule[]>(
    { kind: 'anywhere' },
    { kind: 'only', of: ['127.0.0.0/8'] },
    { kind: 'only', of: ['192.0.2.0/24'] },
    { kind: 'except', of: ['127.0.0.1'] },
  ),
  source: fc.constantFrom(
    'true',
    'request.parameters.id in principal.attributes.sections',
    '"rider" in principal.roles',
    'request.address == "127.0.0.1"',
    'principal.acr == "strong"',
    'resource.gates[request.parameters.id].open == "yes"',
    'request.query.season == "dry" || "rider" in principal.roles',
    'request.headers["x-purpose"] == "repair"',
  ),
  acr: fc.constantFrom<string[][]>([], ['strong']),
  modes: fc.record({ token: mode, rights: mode, condition: mode, claims: mode, address: mode }),
});
const request = fc.record({
  sent: fc.boolean(),
  scope: values,
  roles: values,
  sections: fc.subarray(['G-1', 'G-2']),
  acr: fc.constantFrom('strong', 'weak'),
  aud: fc.constantFrom(AUDIENCE, 'https://other.example'),
  gate: fc.constantFrom('G-1', 'G-2'),
  query: fc.constantFrom('', '?season=dry'),
  purpose: fc.constantFrom('repair', 'other'),
});
type Rules = typeof rules extends fc.Arbitrary<infer T> ? T : never;
type Sent = typeof request extends fc.Arbitrary<infer T> ? T : never;

function documentOf({ alternatives, addresses, source, acr, modes }: Rules): ReleaseDocument {
  const document = documentFor(upstream.url, issuer.issuer, {
    token: tokenRule([AUDIENCE], { type: 'at+jwt', stepUp: acr.length === 0 ? null : { acrValues: acr, maxAgeSeconds: null } }),
    access: { kind: 'required', origin: 'hand', alternatives },
    addresses,
    conditions: [{ kind: 'own', name: 'own', source }],
    modes: { all: 'enforce', checks: modes },
  });
  const claimMap = { ...STANDARD_CLAIM_MAP, attributes: [{ name: 'sections', ...sourceOf(['sections']) }] };
  return {
    ...document,
    providers: document.providers.map((provider) => ({ ...provider, claimMap })),
    apis: document.apis.map((api) => ({
      ...api,
      operations: api.operations.filter(({ id }) => id === 'GET /open/{id}').map((operation) => ({ ...operation, access: null })),
    })),
  };
}

/** How something ended: whether it was let in, and where not, why. */
const ended = (outcome: string, code: string): string => (outcome === 'refused' ? `refused ${code}` : outcome);

async function supposed(document: ReleaseDocument, sent: Sent, claims: Record<string, unknown>): Promise<string> {
  const facts = { ...NOTHING_KNOWN, tables: [{ id: 'gates', key: 'gate', columns: ['gate', 'open'], rows: [['G-1', 'yes']] }] };
  const supposition = new Supposition(document, {
    facts,
    unknown: { hour: false, address: false, request: false, authorizers: 'none' },
    keys: null,
    authorizers: null,
  });
  const [operation] = supposition.release.apis[0]?.operations ?? [];
  if (!operation) throw new Error('the document has an operation');
  const token: SupposedCredential = {
    kind: 'token',
    providerId: 'p',
    form: 'jwt',
    typ: 'at+jwt',
    claims: { iss: issuer.issuer, ...claims },
    principal: null,
    vague: false,
  };
  const { verdict, exchange } = await supposition.decide({
    operation,
    credentials: sent.sent ? [token] : [],
    request: { ...ANY_REQUEST, parameters: { id: sent.gate }, query: sent.query, headers: { 'x-purpose': sent.purpose }, address: '127.0.0.1', body: null },
    nowMs: Date.now(),
  });
  return ended(verdict.kind === 'answer' ? 'refused' : exchange.wouldRefuse === null ? 'passed' : 'would-refuse', verdict.finding.code);
}

const probed = async (document: ReleaseDocument, target: string, headers: readonly [string, string][]): Promise<string> => {
  const askId = `ask-${Math.random()}`;
  control.send({
    type: 'probe',
    askId,
    hash: JSON.stringify(document),
    document,
    forward: false,
    request: { method: 'GET', target, headers: [['host', 'x'], ...headers], body: null },
  });
  const { probe, error } = await until(() => control.answers.find((answer) => answer.askId === askId), 'the answer');
  return probe ? ended(probe.outcome, probe.code) : `error ${error}`;
};

// One function decides all four; what differs is where its facts come from.
test('the gateway, its trace, a probe and a supposition come to the same for any rules and requests', async () => {
  await fc.assert(
    fc.asyncProperty(rules, fc.array(request, { minLength: 4, maxLength: 4 }), async (asked, requests) => {
      const document = documentOf(asked);
      const release = ++number;
      control.send({ type: 'release', number: release, hash: `h${release}`, document });
      await until(() => node.status().release?.number === release, 'the release');
      const came: { readonly id: string; readonly status: number; readonly others: readonly [string, string] }[] = [];
      for (const sent of requests) {
        const now = Math.floor(Date.now() / 1000);
        const claims = {
          sub: 'rider',
          client_id: 'tablet',
          aud: sent.aud,
          iat: now - 5,
          exp: now + 300,
          scope: sent.scope.join(' '),
          roles: sent.roles,
          sections: sent.sections,
          acr: sent.acr,
        };
        const target = `/a/open/${sent.gate}${sent.query}`;
        const headers: [string, string][] = [
          ['x-purpose', sent.purpose],
          ...(sent.sent ? [['authorization', `Bearer ${await issuer.sign(claims)}`] as [string, string]] : []),
        ];
        const answer = await fetch(url + target, { headers });
        await answer.arrayBuffer();
        came.push({
          id: answer.headers.get(REQUEST_ID_HEADER) ?? '',
          status: answer.status,
          others: [await supposed(document, sent, claims), await probed(document, target, headers)],
        });
      }
      for (const { id, status, others } of came) {
        const trace = await until(() => control.traces.find((one) => one.id === id), 'the trace');
        const told = ended(trace.outcome, trace.code);
        expect([told, ...others, status]).toEqual([told, told, told, trace.status]);
        expect(status === 200).toBe(trace.outcome !== 'refused');
        // Who was proved to call stands in the trace, and nothing of the token itself.
        if (trace.who?.principal) expect(trace.who.principal.client).toBe('tablet');
      }
    }),
    { numRuns: 20 },
  );
});
