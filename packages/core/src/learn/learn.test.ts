import fc from 'fast-check';
import { validate } from '@hyperjump/json-schema/draft-2020-12';
import { parse } from 'yaml';
import { editContract } from '../contract/accept-deviation.js';
import { listOperations } from '../contract/list-operations.js';
import { readContract } from '../contract/read-contract.js';
import { driftOf } from './drift.js';
import { EVIDENCE_CALLERS } from './evidence.js';
import { describeLearned, learnedDocument } from './learned-document.js';
import { leaveOut, mergeLearned } from './merge-learned.js';
import { pack, unpack } from './pack.js';
import { PATH_LIMITS, PathLearner } from './path-learner.js';
import { newOperation, sawRequest, type SeenOperation } from './seen-operation.js';
import { joinShapes, newShape, sawValue, schemaOf, type SeenShape } from './seen-shape.js';
import type { Sighting } from './sighting.js';

const NOON = Date.UTC(2026, 4, 1, 12);
const SEEN_IN = { at: NOON, caller: 'canal-loggers' };

const sighting = (method: string, path: string, more: Partial<Sighting> = {}): Sighting => ({
  at: NOON,
  method,
  path,
  query: [],
  headers: [],
  request: null,
  status: 200,
  answer: null,
  caller: 'canal-loggers',
  credentials: ['token'],
  ...more,
});

function learn(...sightings: readonly Sighting[]): PathLearner {
  const learner = new PathLearner();
  for (const one of sightings) learner.see(one);
  return learner;
}
const keysOf = (learner: PathLearner): string[] => [...learner.entries.keys()].sort();
const json = (value: unknown) => ({ type: 'application/json', value });

describe('paths', () => {
  test('values by their own form become parameters at once', () => {
    const paths = [
      '/meters/17',
      '/meters/18/daily',
      '/meters/8f14e45f-ceea-467f-a8a2-1b0a3f2f7d11',
      '/days/2026-05-01',
      '/meters/mtr-0042',
      '/v1/oauth2/status',
      '/by/ada@orchard.example',
    ];
    expect(keysOf(learn(...paths.map((path) => sighting('GET', path))))).toEqual([
      'GET /by/{}',
      'GET /days/{}',
      'GET /meters/{}',
      'GET /meters/{}/daily',
      'GET /v1/oauth2/status',
    ]);
  });

  test('names become one parameter when many at one place lead to the same; what leads elsewhere stays', () => {
    const orchards = ['apple', 'pear', 'quince', 'plum', 'cherry', 'medlar', 'fig', 'olive', 'almond', 'walnut', 'mulberry'];
    const learner = learn(
      ...orchards.map((name) => sighting('GET', `/orchards/${name}/yield`)),
      sighting('POST', '/orchards/import'),
      sighting('GET', '/orchards/hazel/yield'),
    );
    expect(keysOf(learner)).toEqual(['GET /orchards/{*}/yield', 'POST /orchards/import']);
    expect(learner.entries.get('GET /orchards/{*}/yield')?.operation).toMatchObject({ seen: 12, path: [{ seen: 12 }] });
    expect(describeLearned(learner.entries.get('GET /orchards/{*}/yield') ?? fail()).path).toBe('/orchards/{orchardId}/yield');
  });

  test('a few operations of one resource stay what they are', () => {
    const names = ['status', 'export', 'import', 'search', 'count', 'schema', 'health'];
    expect(keysOf(learn(...names.map((name) => sighting('GET', `/meters/${name}`)), sighting('GET', '/meters/7')))).toHaveLength(8);
  });

  test('whoever asks for everything fills no memory, and crowds out nobody', () => {
    const learner = new PathLearner();
    for (let turn = 0; turn < 10; turn++) learner.see(sighting('GET', '/v0/export', { at: NOON + turn }));
    let state = 7;
    const word = (): string => {
      state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
      return [...state.toString(26).replace(/\d/g, 'z')].join('').slice(0, 5);
    };
    for (let turn = 0; turn < 5000; turn++) learner.see(sighting('GET', `/${Array.from({ length: 1 + (turn % 25) }, word).join('/')}`, { at: NOON + turn }));
    expect(learner.entries.size).toBeLessThanOrEqual(PATH_LIMITS.operations);
    expect(learner.entries.get('GET /v0/export')?.operation.seen).toBe(10);
    expect(learner.unplaced).toBeGreaterThan(0);
    const sum = [...learner.entries.values()].reduce((total, { operation }) => total + operation.seen, 0);
    expect(sum + learner.unplaced).toBe(5010);
  });

  test('what two nodes saw joins to what one would have seen', () => {
    const path = fc.constantFrom('/meters/1', '/meters/2/daily', '/meters/north', '/meters/south', '/v0/export', '/days/2026-05-01');
    const one = fc.record({
      method: fc.constantFrom('GET', 'POST'),
      path,
      status: fc.constantFrom(200, 201),
      value: fc.jsonValue(),
      at: fc.integer({ min: NOON, max: NOON + 1e9 }),
    });
    fc.assert(
      fc.property(fc.array(one, { maxLength: 30 }), fc.nat(), (list, cut) => {
        const all = list.map(({ method, path: at, status, value, ...rest }) => sighting(method, at, { status, answer: json(value), ...rest }));
        const half = list.length === 0 ? 0 : cut % list.length;
        const [whole, first, second] = [learn(...all), learn(...all.slice(0, half)), learn(...all.slice(half))];
        for (const { path: at, operation } of second.entries.values()) first.join(at, unpack<SeenOperation>(pack(operation)));
        const said = (learner: PathLearner) =>
          JSON.parse(
            JSON.stringify(
              [...learner.entries.values()].map((entry) => describeLearned(entry)).sort((a, b) => (a.path + a.method < b.path + b.method ? -1 : 1)),
            ),
          ) as unknown;
        expect(sorted(said(first))).toEqual(sorted(said(whole)));
      }),
      { numRuns: 100 },
    );
  });
});

/** Lists of names in one order: who was seen first does not matter. */
const sorted = (value: unknown): unknown => {
  if (Array.isArray(value)) return value.map(sorted).sort((a, b) => (JSON.stringify(a) < JSON.stringify(b) ? -1 : 1));
  if (value === null || typeof value !== 'object') return value;
  return Object.fromEntries(
    Object.entries(value)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([name, one]) => [name, sorted(one)]),
  );
};

describe('bodies', () => {
  test('everything that was seen keeps to what was learned, as another validator has it (@hyperjump/json-schema)', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(fc.jsonValue({ maxDepth: 4 }), { minLength: 1, maxLength: 12 }), async (values) => {
        const shape = newShape();
        const room = { left: 500 };
        for (const value of values) sawValue(shape, value, SEEN_IN, room);
        const holds = await validate('https://json-schema.org/draft/2020-12/schema', schemaOf(shape) as never);
        expect(holds.valid).toBe(true);
        const id = `https://learned.example/${Math.random()}`;
        const { registerSchema, unregisterSchema } = await import('@hyperjump/json-schema/draft-2020-12');
        registerSchema({ ...schemaOf(shape), $schema: 'https://json-schema.org/draft/2020-12/schema' }, id);
        for (const value of values) expect([value, (await validate(id, value as never)).valid]).toEqual([value, true]);
        unregisterSchema(id);
      }),
      { numRuns: 60 },
    );
  });

  test('types are widened, formats are kept while all are of one, required is what enough had', () => {
    const shape = newShape();
    const room = { left: 500 };
    for (let turn = 0; turn < 6; turn++)
      sawValue(
        shape,
        {
          id: `${turn}f14e45f-ceea-467f-a8a2-1b0a3f2f7d11`,
          volume: turn === 3 ? 1.5 : 2,
          note: turn === 2 ? null : 'dry',
          at: '2026-05-01T10:00:00Z',
          ...(turn > 3 ? { by: 'ada' } : {}),
        },
        SEEN_IN,
        room,
      );
    expect(schemaOf(shape)).toEqual({
      type: 'object',
      properties: {
        id: { type: 'string', format: 'uuid' },
        volume: { type: 'number' },
        note: { type: ['string', 'null'] },
        at: { type: 'string', format: 'date-time' },
        by: { type: 'string' },
      },
      required: ['id', 'volume', 'note', 'at'],
    });
  });

  test('members that are values themselves, and thousands of members, are one place', () => {
    const shape = newShape();
    const room = { left: 500 };
    sawValue(shape, { '2026-05-01': 4, '2026-05-02': 5, __proto__x: 1 }, SEEN_IN, room);
    sawValue(shape, JSON.parse('{"__proto__":{"a":1},"constructor":2}'), SEEN_IN, room);
    expect(schemaOf(shape)).toMatchObject({ additionalProperties: { type: 'integer' } });
    expect([...shape.members.keys()]).toEqual(['__proto__x', '__proto__', 'constructor']);
    const many = newShape();
    for (let turn = 0; turn < 50; turn++)
      sawValue(many, Object.fromEntries(Array.from({ length: 200 }, (_, index) => [`m${'abcdefghij'[turn % 10]}${'x'.repeat(index)}`, turn])), SEEN_IN, room);
    expect(many.members.size).toBeLessThanOrEqual(100);
    expect(room.left).toBeGreaterThanOrEqual(0);
  });

  test('samples say the form and nothing of the value', () => {
    const shape = newShape();
    sawValue(shape, 'ada@orchard.example', SEEN_IN, { left: 9 });
    expect(shape.samples).toEqual(['xxx@xxxxxxx.xxxxxxx']);
    expect(pack(shape)).not.toContain('ada');
  });

  test('each thing says from whom it came, as far as there is room, and what was kept without that names nobody', () => {
    const shape = newShape();
    const callers = Array.from({ length: 12 }, (_, index) => `caller-${index}`);
    for (const caller of callers) sawValue(shape, { a: 1, ...(caller === 'caller-3' ? { b: 1 } : {}) }, { at: NOON, caller }, { left: 9 });
    expect([shape.members.get('a')?.callers.size, shape.members.get('a')?.seen]).toEqual([EVIDENCE_CALLERS, 12]);
    expect([...(shape.members.get('b')?.callers ?? [])]).toEqual([['caller-3', 1]]);
    const old = unpack<SeenShape>(pack(shape).replaceAll(/,"callers":\{"~":\[[^}]*\]\}/g, ''));
    expect([old.seen, old.callers.size, old.members.get('b')?.callers.size]).toEqual([12, 0, 0]);
    joinShapes(old, shape, { left: 9 });
    expect(old.members.get('b')?.callers.get('caller-3')).toBe(1);
  });
});

const CONTRACT = `openapi: 3.1.0
info: { title: Meter readings, version: 1.4.0 }
security: [{ trust: [] }]
paths:
  # Kept as it is.
  /meters/{meterId}/readings:
    get:
      parameters:
        - { name: meterId, in: path, required: true, schema: { type: string } }
        - { name: from, in: query, required: true, schema: { type: string, format: date } }
        - { name: limit, in: query, schema: { type: integer } }
      responses:
        '200':
          description: Readings
          content:
            application/json:
              schema: { $ref: '#/components/schemas/Page' }
components:
  securitySchemes: { trust: { type: http, scheme: bearer } }
  schemas:
    Page:
      type: object
      required: [rows, next]
      properties:
        next: { type: string }
        rows: { type: array, items: { allOf: [{ $ref: '#/components/schemas/Row' }, { properties: { unit: { type: string } } }] } }
    Row:
      type: object
      properties: { volume: { type: number }, at: { type: string } }
`;

describe('what is learned as a description', () => {
  const many = (count: number, make: (turn: number) => Sighting): PathLearner => learn(...Array.from({ length: count }, (_, turn) => make(turn)));
  const learner = many(8, (turn) =>
    sighting('POST', `/meters/${turn + 1}/readings`, {
      query: [
        ['dry', 'true'],
        ...(turn > 3
          ? ([
              ['tag', 'a'],
              ['tag', 'b'],
            ] as const)
          : []),
      ],
      headers: [
        ['x-batch', '17'],
        ['user-agent', 'logger'],
      ],
      request: json({ readings: [{ volume: 1.5 }] }),
      status: 201,
      answer: json({ id: turn, note: turn === 2 ? null : 'ok' }),
    }),
  );
  const [entry] = learner.entries.values();
  const described = describeLearned(entry ?? fail());

  test('an operation with its parameters, body and answers, required by evidence', () => {
    expect(described).toMatchObject({ path: '/meters/{meterId}/readings', method: 'POST' });
    expect(described.operation['parameters']).toEqual([
      { name: 'meterId', in: 'path', required: true, schema: { type: 'integer' } },
      { name: 'dry', in: 'query', required: true, schema: { type: 'boolean' } },
      { name: 'tag', in: 'query', schema: { type: 'array', items: { type: 'string' } } },
      { name: 'x-batch', in: 'header', required: true, schema: { type: 'integer' } },
    ]);
    expect(described.operation['requestBody']).toMatchObject({ required: true, content: { 'application/json': { schema: { required: ['readings'] } } } });
    expect(Object.keys(described.operation['responses'] as object)).toEqual(['201']);
  });

  test('a whole document is read again as the same operations, without a problem', () => {
    const document = learnedDocument('Learned', '1', learner.entries.values());
    const read = readContract(JSON.stringify(document));
    expect(read.problems).toEqual([]);
    expect(listOperations(read.document ?? {}).operations.map(({ method, path }) => `${method} ${path}`)).toEqual(['POST /meters/{meterId}/readings']);
    expect(read.document).toEqual(document);
  });

  test('it joins a contract beside the operations of its path, with its names, and keeps every line', () => {
    const { document } = readContract(CONTRACT);
    const merge = mergeLearned(document ?? {}, { ...described, path: '/meters/{id}/readings' }, [{ trust: ['readings:write'] }]);
    expect(merge?.pointer).toBe('/paths/~1meters~1{meterId}~1readings/post');
    const after = editContract(CONTRACT, 'yaml', merge?.edits ?? []);
    for (const line of CONTRACT.trimEnd().split('\n')) expect(after.split('\n')).toContain(line);
    expect((parse(after) as { paths: Record<string, { post: { security: unknown } }> }).paths['/meters/{meterId}/readings']?.post.security).toEqual([
      { trust: ['readings:write'] },
    ]);
    expect(mergeLearned(readContract(after).document ?? {}, described, undefined)).toBeNull();
  });

  test('in a contract of 3.0 it says the same in the words of 3.0', () => {
    const merge = mergeLearned({ openapi: '3.0.3', paths: {} }, described, undefined);
    const text = JSON.stringify(merge?.edits);
    expect(text).toContain('"note":{"type":"string","nullable":true}');
    expect(text).not.toContain('"type":[');
  });

  test('parts can be left out', () => {
    const left = leaveOut(described.operation, [
      '/parameters/1',
      '/requestBody',
      '/responses/201/content/application~1json/schema/properties/note',
      '/nothing/here',
    ]);
    expect((left['parameters'] as { name: string }[]).map(({ name }) => name)).toEqual(['meterId', 'tag', 'x-batch']);
    expect(left['requestBody']).toBeUndefined();
    expect(JSON.stringify(left['responses'])).toBe(
      '{"201":{"description":"Seen in traffic","content":{"application/json":{"schema":{"type":"object","properties":{"id":{"type":"integer"}},"required":["id"]}}}}}',
    );
  });
});

describe('drift', () => {
  const { document } = readContract(CONTRACT);
  const item = (document?.['paths'] as Record<string, Record<string, Record<string, unknown>>> | undefined)?.['/meters/{meterId}/readings'] ?? {};
  const drift = (...answers: readonly (readonly [status: number, body: unknown, query?: Sighting['query']])[]) => {
    const seen = newOperation('GET');
    for (const [status, body, query = [['from', '2026-05-01']] as const] of answers)
      sawRequest(seen, sighting('GET', '/meters/1/readings', { status, answer: json(body), query }), ['1']);
    return driftOf(document ?? {}, item, item['get'] ?? {}, seen).map(({ kind, where, at, count, of }) => `${kind} ${where} ${at} ${count}/${of}`);
  };
  const good = { rows: [{ volume: 1, at: 'x', unit: 'm3' }], next: '' };

  test('none where traffic is as the contract says', () => {
    expect(drift(...Array.from({ length: 6 }, () => [200, good] as const))).toEqual([]);
  });

  test('field by field: what is not named, of another type, missing, another status, never seen', () => {
    expect(
      drift(
        [200, { ...good, rows: [{ volume: '1', email: 'a' }] }],
        [404, {}],
        [
          200,
          { rows: [] },
          [
            ['from', '2026-05-01'],
            ['tz', 'utc'],
            ['limit', 'all'],
          ],
        ],
      ),
    ).toEqual([
      'undescribed query tz 1/3',
      'other-type query limit 1/3',
      'other-type answer 200 /rows/*/volume 1/1',
      'undescribed answer 200 /rows/*/email 1/1',
      'undescribed answer 404  1/3',
    ]);
    expect(drift(...Array.from({ length: 6 }, (_, turn) => [200, turn === 0 ? { rows: [] } : good, turn === 1 ? [] : undefined] as const))).toEqual([
      'missing query from 1/6',
      'missing answer 200 /next 1/6',
    ]);
    expect(drift(...Array.from({ length: 25 }, () => [200, { next: '', rows: [{ at: 'x' }] }] as const))).toEqual([
      'never-seen query limit 0/25',
      'never-seen answer 200 /rows/*/volume 0/25',
      'never-seen answer 200 /rows/*/unit 0/25',
    ]);
  });
});

function fail(): never {
  throw new Error('there is nothing');
}
