import { CONTRACT_PARTS, ENFORCED, NO_CONTRACT, type ApiRule, type ContractMode, type ContractPart, type ReleaseDocument } from '@virga/core';
import { createHash } from 'node:crypto';
import type { Server } from 'node:http';
import { documentFor, echoUpstream, FakeControl, raw, startNode, until } from './harness.js';

const COLOR = { name: 'color', in: 'path', required: true, style: 'matrix' } as const;
const OK = { 200: { description: '' } };
/** The first two rows of the style table of OpenAPI 3.1.2 section 4.8.12.6, and paths beside them. */
const TEXT = JSON.stringify({
  openapi: '3.1.0',
  info: { title: 'A', version: '1' },
  paths: {
    '/one/{color}': { get: { parameters: [{ ...COLOR, schema: { type: 'string', enum: ['blue', 'black'] } }], responses: OK } },
    '/list/{color}/end': {
      get: { parameters: [{ ...COLOR, explode: true, schema: { type: 'array', items: { type: 'string', maxLength: 5 } } }], responses: OK },
    },
    '/rgb/{color}': {
      get: {
        parameters: [
          { ...COLOR, explode: true, schema: { type: 'object', properties: { R: { type: 'integer' }, G: { type: 'integer' } }, additionalProperties: false } },
        ],
        responses: OK,
      },
    },
    '/plain/{id}': { get: { parameters: [{ name: 'id', in: 'path', required: true, schema: { type: 'string' } }], responses: OK } },
    '/listed/{color}': { get: { parameters: [{ ...COLOR, schema: { type: 'string' } }], responses: OK } },
    '/listed': { get: { responses: OK } },
  },
});
const HASH = createHash('sha256').update(TEXT).digest('hex');
const PATHS = Object.keys((JSON.parse(TEXT) as { paths: object }).paths);

const control = new FakeControl();
let node: Awaited<ReturnType<typeof startNode>>;
let upstream: { url: string; server: Server };
let went: string[] = [];
let release = 0;

beforeAll(async () => {
  upstream = await echoUpstream((req, res) => {
    went.push(req.url ?? '');
    res.end();
  });
  control.contracts.set(HASH, TEXT);
  await control.start();
  node = await startNode(control);
});

afterAll(async () => {
  await node.node.stop();
  await control.stop();
  upstream.server.closeAllConnections();
  upstream.server.close();
});

async function publish(mode: ContractMode, change: Partial<ApiRule> = {}): Promise<void> {
  const document: ReleaseDocument = documentFor(upstream.url, 'https://issuer.example');
  const [api] = document.apis as [ApiRule];
  const [first] = api.operations as [ApiRule['operations'][number]];
  const parts = Object.fromEntries(CONTRACT_PARTS.map((part) => [part, part === 'contract-path' ? mode : 'off'])) as Record<ContractPart, ContractMode>;
  const operations = PATHS.map((path) => ({ ...first, id: `GET ${path}`, method: 'GET', path }));
  const number = ++release;
  const apis = [{ ...api, contract: { ...NO_CONTRACT, parts }, contractHash: HASH, operations, ...change }];
  control.send({ type: 'release', number, hash: `h${number}`, document: { ...document, apis } });
  await until(() => node.node.status().release?.number === number, `release ${number}`);
}

/** The status and the code of the refusal, or where the request went. */
async function ask(path: string): Promise<string> {
  went = [];
  const text = await raw(node.port, `GET /a${path} HTTP/1.1\r\nHost: g\r\nConnection: close\r\n\r\n`);
  const id = /x-request-id: (\S+)/i.exec(text)?.[1];
  const trace = await until(() => control.traces.find((one) => one.id === id), 'the trace');
  return `${text.slice(9, 12)} ${trace.outcome === 'passed' ? went.join(' ') : trace.code}`;
}

describe('matrix parameters of a path (RFC 6570 section 3.2.7)', () => {
  test.each([
    ['/one/;color=blue', '200 /one/;color=blue'],
    ['/one/;color=bl%75e', '200 /one/;color=blue'],
    ['/list/;color=blue;color=black/end', '200 /list/;color=blue;color=black/end'],
    ['/rgb/;R=100;G=200', '200 /rgb/;R=100;G=200'],
    ['/plain/blue', '200 /plain/blue'],
    // What the contract does not say of it.
    ['/one/;color=red', '400 contract-path.differs'],
    ['/one/;colour=blue', '400 contract-path.differs'],
    ['/one/;color=blue;admin=1', '400 contract-path.differs'],
    ['/one/;color=blue;color=black', '400 contract-path.differs'],
    ['/one/blue', '400 contract-path.differs'],
    ['/rgb/;R=100;G=200;role=admin', '400 contract-path.differs'],
    ['/rgb/;R=100;R=200', '400 contract-path.differs'],
    // Where none stands.
    ['/plain/;color=blue', '400 path.matrix-parameter'],
    ['/plain/blue;color=blue', '400 path.matrix-parameter'],
    ['/one;v=1/;color=blue', '400 path.matrix-parameter'],
    ['/list/;color=blue/end;x', '400 path.matrix-parameter'],
    ['/nothing/;color=blue', '400 path.matrix-parameter'],
    ['/one/%3Bcolor=blue', '400 path.empty-segment'],
    ['/one/..;color=blue', '400 path.dot-segment'],
    // A reader who cuts at the semicolon runs another operation.
    ['/listed/;color=blue', '400 path.ambiguous'],
  ])('%s: %s', async (path, expected) => {
    if (release === 0) await publish('enforce');
    expect(await ask(path)).toBe(expected);
  });

  test.each([
    ['observe', {}],
    ['off', {}],
    ['enforce', { modes: { ...ENFORCED, all: 'observe' } }],
  ] as const)('none passes where nobody holds it against the contract: %s, %j', async (mode, change) => {
    await publish(mode, change);
    expect(await ask('/one/;color=blue')).toBe('400 path.matrix-parameter');
    expect(went).toEqual([]);
  });
});
