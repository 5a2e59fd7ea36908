import { tokenRule, type ReleaseDocument } from '@virga/core';
import type { ExamineAsk, NodeAnswer, ProbeRequest } from '@virga/protocol/node';
import type { Server } from 'node:http';
import type { GatewayNode } from '../src/gateway-node.js';
import { AUDIENCE, documentFor, echoUpstream, FakeControl, makeIssuer, providerFor, startNode, until } from './harness.js';

/** What a node is asked over its feed: drafts that are probed and tokens that are examined, apart from live traffic. */
let control: FakeControl;
let upstream: Awaited<ReturnType<typeof echoUpstream>>;
let issuer: Awaited<ReturnType<typeof makeIssuer>>;
let node: GatewayNode;
let url: string;
const servers: Server[] = [];

beforeAll(async () => {
  control = new FakeControl();
  await control.start();
  upstream = await echoUpstream();
  issuer = await makeIssuer();
  servers.push(upstream.server, issuer.server);
  ({ node, url } = await startNode(control));
  await until(() => control.statuses.length > 0, 'the node');
  control.send({ type: 'release', number: 1, hash: 'h1', document: documentFor(upstream.url, issuer.issuer) });
  await until(() => control.statuses.some((status) => status.release?.number === 1), 'release 1');
});
afterAll(async () => {
  for (const server of servers.splice(0)) {
    server.closeAllConnections();
    server.close();
  }
  await node.stop();
  await control.stop();
});

const answerTo = (askId: string): Promise<NodeAnswer> => until(() => control.answers.find((answer) => answer.askId === askId), 'the answer');
let asked = 0;
const examine = async (
  request: Partial<ExamineAsk>,
  document: ReleaseDocument = documentFor(upstream.url, issuer.issuer),
  hash = `d${asked}`,
): Promise<NodeAnswer> => {
  const askId = `ask-${asked++}`;
  control.send({
    type: 'examine',
    askId,
    hash,
    document,
    request: { apiId: 'a', operationId: 'GET /guarded', credentials: [], headers: {}, certificate: null, key: null, ...request },
  });
  return answerTo(askId);
};
const probe = async (request: Partial<ProbeRequest>, forward: boolean, document = documentFor(upstream.url, issuer.issuer)): Promise<NodeAnswer> => {
  const askId = `probe-${asked++}`;
  control.send({
    type: 'probe',
    askId,
    hash: askId,
    document,
    request: { method: 'GET', target: '/a/guarded', headers: [['host', 'gw.example']], body: null, ...request },
    forward,
  });
  return answerTo(askId);
};

describe('an examination', () => {
  test('decides each token by itself, in the order asked, and leaves no token in the answer', async () => {
    const good = await issuer.sign();
    const expired = await issuer.sign({ exp: 1 });
    const answer = await examine({ credentials: [good, expired, 'opaque-token-number-one', good] });
    expect(answer.error).toBeNull();
    expect(answer.examined?.map((outcome) => outcome.code)).toEqual(['rights.sufficient', 'token.expired', 'token.opaque', 'rights.sufficient']);
    expect(answer.examined?.[0]?.principal).toMatchObject({ subject: 'rider', issuer: issuer.issuer });
    expect(answer.examined?.[1]?.checks.filter((check) => check.decides).map((check) => check.id)).toEqual(['expiry']);
    const said = JSON.stringify(answer);
    for (const token of [good, expired]) expect(said).not.toContain(token.slice(-30));
  });

  test('decides by the document that it was given and not by what is live', async () => {
    const token = await issuer.sign({ aud: 'https://other.example' });
    const draft = documentFor(upstream.url, issuer.issuer, { token: tokenRule(['https://other.example']) });
    expect((await examine({ credentials: [token] }, draft)).examined?.[0]?.code).toBe('rights.sufficient');
    expect((await fetch(`${url}/a/guarded`, { headers: { authorization: `Bearer ${token}` } })).status).toBe(401);
  });

  test('trusts in a draft what no release may', async () => {
    const document = documentFor(upstream.url, 'https://nobody.example');
    const bench = { ...document, providers: [providerFor(issuer.issuer, { draftOnly: true })] };
    expect((await examine({ credentials: [await issuer.sign()] }, bench)).examined?.[0]?.code).toBe('rights.sufficient');
  });

  test.each<[string, Partial<ExamineAsk>, RegExp]>([
    ['an API that is not there', { apiId: 'x' }, /no such operation/],
    ['an operation that is not there', { operationId: 'GET /x' }, /no such operation/],
  ])('of %s says so', async (_name, request, words) => {
    const answer = await examine({ credentials: ['x'], ...request });
    expect([answer.examined, answer.error]).toEqual([null, expect.stringMatching(words)]);
  });

  test('of a document that cannot be used says where', async () => {
    const broken = documentFor(upstream.url, issuer.issuer, { token: tokenRule([]) });
    expect((await examine({ credentials: ['x'] }, broken)).error).toMatch(/name an audience/);
  });

  test('with a certificate that the caller would show', async () => {
    const token = await issuer.sign({ cnf: { 'x5t#S256': 'thumbprint' } });
    const codes = async (certificate: string | null) => (await examine({ credentials: [token], certificate })).examined?.[0]?.code;
    expect([await codes(null), await codes('another'), await codes('thumbprint')]).toEqual([
      'proof.certificate-missing',
      'proof.certificate-other',
      'rights.sufficient',
    ]);
  });
});

describe('a probe of a draft', () => {
  test('is decided without being forwarded, or forwarded when asked to', async () => {
    const headers: ProbeRequest['headers'] = [
      ['host', 'gw.example'],
      ['Authorization', `Bearer ${await issuer.sign()}`],
    ];
    const decided = await probe({ headers }, false);
    expect([decided.probe?.outcome, decided.probe?.code, upstream.requests.length]).toEqual(['passed', 'upstream.not-called', 0]);
    const sent = await probe({ headers, method: 'POST', body: Buffer.from('hello').toString('base64') }, true);
    expect([sent.probe?.outcome, sent.probe?.answer?.status, upstream.requests.length]).toEqual(['passed', 200, 1]);
    expect(sent.probe?.answer?.body).toContain('hello');
  });

  test('hands out a nonce where the draft asks for one, as the gateway would', async () => {
    const draft = documentFor(upstream.url, issuer.issuer, { token: tokenRule([AUDIENCE], { dpopNonce: true, dpop: 'required' }) });
    const answer = await probe({}, false, draft);
    expect(answer.probe).toMatchObject({ outcome: 'refused', code: 'credential.missing' });
    expect(answer.probe?.answer?.headers.find(([name]) => name === 'dpop-nonce')?.[1].length).toBeGreaterThan(16);
  });

  test('takes the credential off on the way up where the API says so', async () => {
    const draft = documentFor(upstream.url, issuer.issuer);
    const closed = { ...draft, apis: draft.apis.map((api) => ({ ...api, upstream: { ...api.upstream, sendCredential: false } })) };
    const sent = await probe(
      {
        headers: [
          ['host', 'gw.example'],
          ['authorization', `Bearer ${await issuer.sign()}`],
        ],
      },
      true,
      closed,
    );
    expect(sent.probe?.answer?.body).not.toContain('authorization');
  });
});
