// What contract checks cost: one body in core, a large contract in a node, a route whose bodies are checked both ways.
import { NO_CONTRACT, operationContract, wholeContract } from '@virga/core';
import addFormats from 'ajv-formats';
import Ajv from 'ajv/dist/2020.js';
import { createHash } from 'node:crypto';
import { inTurns, load, median } from './load.mjs';
import { release } from './world.mjs';

const READING = {
  type: 'object',
  required: ['meterId', 'at', 'value', 'unit'],
  additionalProperties: false,
  properties: {
    meterId: { type: 'string', pattern: '^M-[0-9]{4}$' },
    at: { type: 'string', format: 'date-time' },
    value: { type: 'number', minimum: 0 },
    unit: { enum: ['m3', 'l'] },
    quality: { type: 'object', required: ['flag'], properties: { flag: { type: 'string', maxLength: 10 }, sigma: { type: 'number' } } },
    tags: { type: 'array', items: { type: 'string', maxLength: 20 } },
  },
};
const BATCH = { type: 'object', required: ['readings'], properties: { readings: { type: 'array', items: READING, maxItems: 1000 } } };
/** A batch of readings. */
export const readings = (count) => ({
  readings: Array.from({ length: count }, (_, index) => ({
    meterId: `M-${1000 + index}`,
    at: '2026-06-01T10:00:00Z',
    value: index * 1.37,
    unit: 'm3',
    quality: { flag: 'ok', sigma: 0.1 },
    tags: ['north', 'daily'],
  })),
});
const everyPart = (mode) => Object.fromEntries(Object.keys(NO_CONTRACT.parts).map((part) => [part, mode]));

/** The check of a request's body of 10 KB, from its bytes, against JSON.parse and the compiled validator of a library. */
export function bodyRatio(rounds) {
  const document = {
    openapi: '3.1.0',
    paths: { '/x': { post: { requestBody: { required: true, content: { 'application/json': { schema: BATCH } } }, responses: {} } } },
  };
  const contract = operationContract(wholeContract(document, '3.1'), '/x', 'POST', NO_CONTRACT);
  const ajv = new Ajv({ strict: false });
  addFormats(ajv);
  const validate = ajv.compile(BATCH);
  const bytes = Buffer.from(JSON.stringify(readings(70)));
  const reference = () => validate(JSON.parse(bytes.toString('utf8')));
  const ours = () => contract.body('application/json', bytes).deviations.length === 0;
  if (!reference() || !ours()) throw new Error('the body keeps to the schema');
  const time = (run) => {
    const from = performance.now();
    for (let index = 0; index < 50; index++) run();
    return performance.now() - from;
  };
  // A few at a time and in turn, so that what else the machine does meets both alike.
  const ratio = () => {
    const taken = [0, 0];
    for (let slice = 0; slice < 40; slice++) for (const [index, run] of [ours, reference].entries()) taken[index] += time(run);
    return taken[0] / taken[1];
  };
  for (let warm = 0; warm < 2; warm++) ratio();
  return median(Array.from({ length: rounds * 2 + 1 }, ratio));
}

/** A description of so many operations and schemas, which refer to each other. */
function largeContract(operations, schemas) {
  const ref = (index) => ({ $ref: `#/components/schemas/S${index % schemas}` });
  const schema = (index) => ({
    type: 'object',
    required: ['id', 'name'],
    properties: {
      ...Object.fromEntries(
        Array.from({ length: 14 }, (_, own) => [
          `member${own}`,
          { type: ['string', 'null'], maxLength: 200 + own, description: 'Something that somebody wrote about it, in a line or two.' },
        ]),
      ),
      id: { type: 'integer' },
      name: { type: 'string', pattern: '^[a-z]' },
      next: ref(index + 1),
      others: { type: 'array', items: ref(index * 7 + 3) },
    },
  });
  const operation = (index) => ({
    post: {
      parameters: [{ name: 'page', in: 'query', schema: { type: 'integer' } }],
      requestBody: { content: { 'application/json': { schema: ref(index * 3) } } },
      responses: Object.fromEntries(
        ['200', '201', '404'].map((status, own) => [status, { description: '', content: { 'application/json': { schema: ref(index * 3 + own) } } }]),
      ),
    },
  });
  return JSON.stringify({
    openapi: '3.1.0',
    info: { title: 'Large', version: '1' },
    paths: Object.fromEntries(Array.from({ length: operations }, (_, index) => [`/group${index % 97}/things${index}`, operation(index)])),
    components: { schemas: Object.fromEntries(Array.from({ length: schemas }, (_, index) => [`S${index}`, schema(index)])) },
  });
}

const addContract = (control, text) => {
  const hash = createHash('sha256').update(text).digest('hex');
  control.contracts.set(hash, text);
  return hash;
};

/** An API whose contract is enforced, with operations of its own. */
function enforced(document, contractHash, operations) {
  const [api] = document.apis;
  const [first] = api.operations;
  return {
    ...document,
    apis: [
      {
        ...api,
        contract: { ...NO_CONTRACT, parts: everyPart('enforce') },
        contractHash,
        operations: operations.map(({ method, path }) => ({ ...first, id: `${method} ${path}`, method, path })),
      },
    ],
  };
}

/** How often a large contract comes, each time another one. */
const TIMES = 3;

/**
 * Contracts of 1,200 operations and 4,400 schemas, one after the other, each until a request is refused by it and a sixth of its operations were called.
 * @param longest measures the longest time for which the serving thread was kept while something runs
 */
export async function largeContractInNode({ control, gateway, upstreamUrl, issuer, headers, longest, number }) {
  const operations = Array.from({ length: 1200 }, (_, index) => ({ method: 'POST', path: `/group${index % 97}/things${index}` }));
  const documentOf = (text) => enforced(release(upstreamUrl, issuer, 1), addContract(control, text), operations);
  const used = async () => {
    gateway.child.send('measure');
    await new Promise((resolve) => setTimeout(resolve, 800));
    return gateway.child.latest.used;
  };
  await control.publish(number, documentOf(largeContract(1, 1)));
  const usedBefore = await used();
  const send = (path, body) =>
    fetch(`http://127.0.0.1:${gateway.port}/bench${path}`, {
      method: 'POST',
      headers: { ...headers, 'content-type': 'application/json' },
      body: JSON.stringify(body),
    });
  const compiles = [];
  const stalls = [];
  let text = '';
  for (let time = 0; time < TIMES; time++) {
    text = largeContract(1200, 4400 + time);
    const document = documentOf(text);
    const stall = await longest(async () => {
      const from = performance.now();
      await control.publish(number + 1 + time, document);
      const { status } = await send(operations[600].path, { id: 'none' });
      compiles.push(performance.now() - from);
      if (status !== 400) throw new Error(`the contract is enforced, not ${status}`);
      for (let index = 0; index < 1200; index += 6)
        await send(operations[index].path, { id: 1, name: 'a', next: { id: 2, name: 'b', others: [{ id: 3, name: 'c' }] } });
    });
    stalls.push(stall);
    process.stdout.write(`contract ${time + 1}: the serving thread was kept for ${stall.kept.toFixed(1)} ms, ${stall.whole.toFixed(1)} with its waiting\n`);
  }
  return {
    contractTextMb: Math.round(text.length / 104_857.6) / 10,
    contractCompileMs: Math.round(median(compiles)),
    contractStallMs: Math.round(median(stalls.map(({ kept }) => kept)) * 10) / 10,
    contractWholeStallMs: Math.round(median(stalls.map(({ whole }) => whole)) * 10) / 10,
    contractMemoryMb: Math.round(((await used()) - usedBefore) / 104_857.6) / 10,
  };
}

/** A guarded route that takes and answers 1 KB, both looked into, against the bare forwarder. */
export async function contractRoute({ control, gateway, bare, upstreamUrl, issuer, headers, rounds, ms, number }) {
  const answer = {
    type: 'object',
    required: ['taken'],
    properties: { taken: { type: 'integer' }, readings: { type: 'array', items: READING } },
    additionalProperties: false,
  };
  const text = JSON.stringify({
    openapi: '3.1.0',
    info: { title: 'Route', version: '1' },
    paths: {
      '/readings': {
        post: {
          requestBody: { required: true, content: { 'application/json': { schema: BATCH } } },
          responses: { 200: { description: '', content: { 'application/json': { schema: answer } } } },
        },
      },
    },
  });
  const document = enforced(release(upstreamUrl, issuer, 1), addContract(control, text), [{ method: 'POST', path: '/readings' }]);
  await control.publish(number, document);
  const body = JSON.stringify(readings(7));
  const request = {
    method: 'POST',
    path: '/bench/readings',
    body,
    headers: { ...headers, 'content-type': 'application/json', 'content-length': String(body.length) },
  };
  await load(bare.port, { ...request, ms });
  await load(gateway.port, { ...request, ms: ms * 2 });
  const measured = await inTurns({ bare: { port: bare.port, ...request }, 'with its contract': { port: gateway.port, ...request } }, { rounds, ms });
  const { ratio, failed } = measured['with its contract'];
  return { contractRouteRatio: ratio, contractRouteFailed: failed };
}
