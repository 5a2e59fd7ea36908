import express from 'express';
import fc from 'fast-check';
import { tokenRule, type ApiRule, type ReleaseDocument, AS_ITS_API } from '@virga/core';
import { createServer, type Server } from 'node:http';
import { connect, type AddressInfo } from 'node:net';
import type { GatewayNode } from '../src/gateway-node.js';
import { documentFor, FakeControl, makeIssuer, startNode, until } from './harness.js';

/**
 * The gateway in front of a web framework with its defaults, which compares paths without case and without a slash at
 * the end and resolves escapes. Whatever a caller sends, no handler runs under the rule of another operation.
 */
let control: FakeControl;
let issuer: Awaited<ReturnType<typeof makeIssuer>>;
let node: GatewayNode;
let port: number;
let number = 0;
const servers: Server[] = [];

beforeAll(async () => {
  control = new FakeControl();
  await control.start();
  issuer = await makeIssuer();
  servers.push(issuer.server);
  ({ node, port } = await startNode(control));
  await until(() => control.statuses.length > 0, 'the node');
});
afterAll(async () => {
  for (const server of servers.splice(0)) {
    server.closeAllConnections();
    server.close();
  }
  await node.stop();
  await control.stop();
});

interface World {
  /** Base path, path below the upstream, templates with their method; the first of each pair of rules is public. */
  readonly areas: readonly { readonly base: string; readonly prefix: string; readonly templates: readonly (readonly [string, string, boolean])[] }[];
}

interface Ran {
  readonly handler: string;
}

/** What runs at a place of the upstream. Two rules for the same place name the same handler. */
const handlerOf = (method: string, at: string): string => `${method} ${at.replace(/\{\w+\}/g, '{}')}`;

/** Serves every template of every area at its own place, concrete ones first as a careful author would write them. */
async function upstreamOf({ areas }: World): Promise<{ url: string; ran: Ran[]; close: () => void }> {
  const ran: Ran[] = [];
  const app = express();
  const routes = areas.flatMap(({ prefix, templates }) =>
    templates.map(([method, template]) => ({
      method,
      at: prefix + template,
      handler: handlerOf(method, prefix + template),
      pattern: (prefix + template).replace(/\{(\w+)\}/g, ':$1'),
    })),
  );
  const rank = (at: string): string => at.replace(/[^/]+/g, (segment) => (segment.startsWith('{') ? (segment.endsWith('}') ? '2' : '1') : '0'));
  routes.sort((a, b) => rank(a.at).localeCompare(rank(b.at)));
  for (const { method, handler, pattern } of routes) {
    app[method.toLowerCase() as 'get' | 'post'](pattern, (_req, res) => {
      ran.push({ handler });
      res.json({ handler });
    });
  }
  const server = createServer(app as unknown as Parameters<typeof createServer>[1]);
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return {
    url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    ran,
    close: () => {
      server.closeAllConnections();
      server.close();
    },
  };
}

const documentOf = ({ areas }: World, url: string): ReleaseDocument => {
  const base = documentFor(url, issuer.issuer);
  const model = base.apis[0] as ApiRule;
  return {
    ...base,
    apis: areas.map((area, index): ApiRule => ({
      ...model,
      id: `a${index}`,
      name: `API ${index}`,
      basePath: area.base,
      upstream: { ...model.upstream, url: url + area.prefix, responseTimeoutMs: 5000 },
      token: tokenRule(['a']),
      operations: area.templates.map(([method, path, open]) => ({
        id: `${method} ${path}`,
        method,
        path,
        ...AS_ITS_API,
        access: open ? { kind: 'public', origin: 'hand' } : null,
      })),
    })),
  };
};

async function publish(document: ReleaseDocument): Promise<void> {
  const next = ++number;
  control.send({ type: 'release', number: next, hash: `h${next}`, document });
  await until(() => control.statuses.some((status) => status.release?.number === next || status.refusedRelease?.number === next), `release ${next}`);
  expect(control.statuses.find((status) => status.refusedRelease?.number === next)?.refusedRelease ?? null).toBeNull();
}

/** Sends many requests over one connection without a token; what each was answered. */
function sendAll(calls: readonly (readonly [string, string])[]): Promise<number[]> {
  return new Promise((resolve, reject) => {
    const socket = connect(port, '127.0.0.1');
    let text = '';
    socket.setTimeout(10_000, () => socket.destroy(new Error('no answer')));
    socket.on('data', (part) => (text += part.toString('latin1')));
    socket.on('error', reject);
    socket.on('close', () => resolve([...text.matchAll(/HTTP\/1\.1 (\d{3})/g)].map((match) => Number(match[1]))));
    for (const [index, [method, path]] of calls.entries())
      socket.write(`${method} ${path} HTTP/1.1\r\nHost: x\r\n${index === calls.length - 1 ? 'Connection: close\r\n' : ''}\r\n`, 'latin1');
  });
}

/** Runs calls in a world and says which handlers ran that are guarded: without a token, none may. */
async function guardedThatRan(world: World, calls: readonly (readonly [string, string])[]): Promise<{ guarded: string[]; ran: number }> {
  const upstream = await upstreamOf(world);
  try {
    await publish(documentOf(world, upstream.url));
    await sendAll(calls);
    const open = new Set(
      world.areas.flatMap(({ prefix, templates }) =>
        templates.filter(([, , isOpen]) => isOpen).map(([method, template]) => handlerOf(method, prefix + template)),
      ),
    );
    return { guarded: upstream.ran.map(({ handler }) => handler).filter((handler) => !open.has(handler)), ran: upstream.ran.length };
  } finally {
    upstream.close();
  }
}

test.each<[string, World, [string, string][]]>([
  [
    'a base below another one, and the other’s pair of parameters',
    {
      areas: [
        {
          base: '/p',
          prefix: '',
          templates: [
            ['GET', '/{a}/{b}', true],
            ['POST', '/{a}/{b}', true],
          ],
        },
        { base: '/p/secure', prefix: '/secure', templates: [['GET', '/accounts', false]] },
      ],
    },
    [
      ['GET', '/p/secure/Accounts'],
      ['POST', '/p/secure/accounts'],
      ['GET', '/p/SECURE/accounts'],
      ['GET', '/p/secure/accounts'],
      ['GET', '/P/secure/accounts'],
    ],
  ],
  [
    'a fixed path and text around a parameter behind public parameters',
    {
      areas: [
        {
          base: '/a',
          prefix: '',
          templates: [
            ['GET', '/x/lock', false],
            ['GET', '/{any}/{thing}', true],
            ['GET', '/files/{name}.json', false],
            ['GET', '/files/{name}', true],
          ],
        },
      ],
    },
    [
      ['GET', '/a/x/LOCK'],
      ['GET', '/a/x/lock.'],
      ['GET', '/a/x/lock/'],
      ['GET', '/a/files/a.JSON'],
      ['GET', '/a/x/%EF%BD%8Cock'],
      ['GET', '/a/x/loc%4B'],
      ['HEAD', '/a/x/LOCK'],
    ],
  ],
  [
    'one upstream under two bases',
    {
      areas: [
        { base: '/open', prefix: '', templates: [['GET', '/{a}/{b}', true]] },
        { base: '/shut', prefix: '/in', templates: [['GET', '/lock', false]] },
      ],
    },
    [
      ['GET', '/open/in/lock'],
      ['GET', '/open/IN/lock'],
      ['GET', '/open/in/Lock'],
    ],
  ],
])('%s: no guarded handler runs without a token', async (_name, world, calls) => {
  expect((await guardedThatRan(world, [...calls, ...calls])).guarded).toEqual([]);
});

test('random APIs, nested bases and shared upstreams: no request runs a handler that its rule does not name', async () => {
  const word = fc.constantFrom('lock', 'x', 'in', 'secure');
  const segment = fc.oneof(
    { weight: 3, arbitrary: word },
    { weight: 3, arbitrary: fc.constantFrom('{a}', '{b}') },
    { weight: 1, arbitrary: fc.constantFrom('{n}.json', 'v-{n}') },
  );
  const template = fc
    .array(segment, { minLength: 1, maxLength: 3 })
    .map((parts) => `/${parts.map((part, index) => part.replace(/\{(\w)\}/, `{$1${index}}`)).join('/')}`);
  const templates = fc.uniqueArray(fc.tuple(fc.constantFrom('GET', 'GET', 'POST'), template, fc.boolean()), {
    minLength: 1,
    maxLength: 6,
    selector: ([method, path]) => `${method} ${path.replace(/\{\w+\}/g, '{}').toLowerCase()}`,
  });
  const world = fc.record({
    areas: fc.uniqueArray(
      fc.record({ base: fc.constantFrom('', '/p', '/p/secure', '/p/in', '/q'), prefix: fc.constantFrom('', '/in', '/secure', '/in/x'), templates }),
      {
        minLength: 1,
        maxLength: 3,
        selector: ({ base }) => base,
      },
    ),
  });
  const spelt = fc.oneof(
    { weight: 4, arbitrary: word },
    { weight: 2, arbitrary: fc.constantFrom('LOCK', 'X', 'In', 'Secure', 'lock.', 'a.JSON', 'a.json', 'V-1', 'v-1', '7') },
    { weight: 1, arbitrary: fc.constantFrom('loc%6B', 'lock%20', '%EF%BD%8Cock', 'lock%3Bv', '%E2%80%A5', 'a.json%20', '%6cock') },
  );
  const call = fc.tuple(
    fc.constantFrom('GET', 'GET', 'POST', 'HEAD'),
    fc
      .tuple(
        fc.constantFrom('', '/p', '/P', '/p/secure', '/p/SECURE', '/p/in', '/q'),
        fc.array(spelt, { minLength: 1, maxLength: 4 }),
        fc.constantFrom('', '', '', '/'),
      )
      .map(([base, parts, end]) => `${base}/${parts.join('/')}${end}`),
  );
  const filling = fc.record({
    area: fc.nat(2),
    place: fc.nat(5),
    method: fc.constantFrom('GET', 'GET', 'POST', 'HEAD'),
    parts: fc.array(spelt, { minLength: 3, maxLength: 3 }),
    keep: fc.boolean(),
  });
  let ran = 0;
  await fc.assert(
    fc.asyncProperty(
      world,
      fc.array(call, { minLength: 20, maxLength: 40 }),
      fc.array(filling, { minLength: 20, maxLength: 40 }),
      async (made, calls, fillings) => {
        // Beside paths out of nowhere, templates of this world with something in place of their parameters and fixed parts.
        const filled = fillings.map(({ area, place, method, parts, keep }): [string, string] => {
          const from = made.areas[area % made.areas.length];
          const [, path = ''] = from?.templates[place % from.templates.length] ?? [];
          const text = path
            .split('/')
            .slice(1)
            .map((piece, index) => (piece.includes('{') ? piece.replace(/\{\w+\}/, parts[index] ?? 'x') : keep ? piece : piece.toUpperCase()));
          return [method, `${from?.base ?? ''}/${text.join('/')}`];
        });
        const found = await guardedThatRan(made, [...calls, ...filled]);
        ran += found.ran;
        expect(found.guarded).toEqual([]);
      },
    ),
    { numRuns: 60 },
  );
  // Not everything is refused: public handlers are reached all along.
  expect(ran).toBeGreaterThan(100);
});
