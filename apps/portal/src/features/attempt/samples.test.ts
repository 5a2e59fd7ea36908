import { execFileSync } from 'node:child_process';
import { basicOf, composed, firstValues, placeOf } from './compose';
import { refusalIn } from './refusal';
import { SAMPLES, secretWord } from './samples';

const KEY = { kind: 'key', place: 'header', name: 'x-basin-key', scheme: '', scopes: [], roles: [], providers: [] } as const;
const key = { all: [{ ...KEY, scopes: [], roles: [], providers: [] }] };
const parameter = (name: string, place: string) => ({ name, in: place, required: false, type: 'string', rules: [], description: '' });
const operation = {
  method: 'POST',
  path: '/gates/{gateId}/notes',
  parameters: [parameter('gateId', 'path'), parameter('why', 'query'), parameter('x-note', 'header'), parameter('mode', 'cookie')],
};
const HARD = 'a\'b"c\\d $HOME `id` ${x} %s\t é 漢';
const values = { 'path gateId': 'n/1 ?', 'query why': HARD, 'header x-note': 'it\'s "so" \\ $HOME', 'cookie mode': 'dry' };
const of = (name: string, call: ReturnType<typeof composed>): string => SAMPLES.find((one) => one.name === name)?.of('http://127.0.0.1:1', call) ?? '';
const call = (proof: string) =>
  composed(operation, {
    basePath: '/headgates',
    values,
    needed: key,
    proofs: new Map([[placeOf(KEY), proof]]),
    type: 'application/json',
    body: JSON.stringify({ text: HARD }),
  });

test('a call has everything in its place, each once and encoded (RFC 3986)', () => {
  const { target, headers, body } = call('vrk_x');
  expect(target).toBe(`/headgates/gates/n%2F1%20%3F/notes?why=${encodeURIComponent(HARD)}`);
  expect(new URL(`http://x${target}`).searchParams.get('why')).toBe(HARD);
  expect(headers).toEqual([
    ['x-note', 'it\'s "so" \\ $HOME'],
    ['x-basin-key', 'vrk_x'],
    ['cookie', 'mode=dry'],
    ['content-type', 'application/json'],
  ]);
  expect(body).toContain('漢');
  const asked = composed(
    { method: 'GET', path: '/x', parameters: [] },
    {
      basePath: '',
      values: {},
      needed: { all: [{ ...key.all[0]!, place: 'query', name: 'k' }] },
      proofs: new Map([['key query k', 'a b']]),
      type: 'application/json',
      body: '{}',
    },
  );
  expect(asked).toEqual({ method: 'GET', target: '/x?k=a%20b', headers: [], body: null });
});

test('the curl line is what a POSIX shell gives to curl, whatever stands in it, with the secret from the environment', () => {
  const wanted = call('vrk_secret');
  const line = of('curl', call(secretWord('key')));
  expect(line).not.toContain('vrk_secret');
  const said = execFileSync('sh', ['-c', `curl() { printf '%s\\0' "$@"; }\n${line}`], { env: { API_KEY: 'vrk_secret', HOME: '/nowhere' } })
    .toString()
    .split('\0')
    .slice(0, -1);
  expect(said).toEqual([
    '-X',
    'POST',
    `http://127.0.0.1:1${wanted.target}`,
    ...wanted.headers.flatMap(([name, value]) => ['-H', `${name}: ${value}`]),
    '--data-binary',
    wanted.body,
  ]);
});

test('the call with fetch is the same call', () => {
  const wanted = call('vrk_secret');
  const told = 'globalThis.fetch = async (...given) => ({ status: 200, text: async () => JSON.stringify(given) });';
  const said = execFileSync(process.execPath, ['--input-type=module', '-e', `${told}\n${of('fetch', call(secretWord('key')))}`], {
    env: { API_KEY: 'vrk_secret' },
  }).toString();
  expect(said.slice(0, 4)).toBe('200 ');
  expect(JSON.parse(said.slice(4))).toEqual([
    `http://127.0.0.1:1${wanted.target}`,
    { method: 'POST', headers: Object.fromEntries(wanted.headers), body: wanted.body },
  ]);
});

// Escapes that JSON has are those of Python (Language Reference, String literals) and of Go (Language Specification, String literals).
test.each([
  ['Python', 'os.environ["API_KEY"]'],
  ['Go', 'os.Getenv("API_KEY")'],
])('%s has each text as a literal that reads as it, and the secret by name', (name, secret) => {
  const wanted = call('vrk_secret');
  const text = of(name, call(secretWord('key')));
  expect(text).toContain(secret);
  const literals = [...text.matchAll(/"(?:[^"\\]|\\.)*"/g)].map(([literal]) => JSON.parse(literal) as string);
  for (const one of [`http://127.0.0.1:1${wanted.target}`, wanted.body, ...wanted.headers.filter(([own]) => own !== 'x-basin-key').flat()])
    expect(literals).toContain(one);
});

test('what the contract gives as examples is filled in first', () => {
  const first = { ...operation, attempt: { target: '/headgates/gates/north-1/notes?why=dry%20canal', body: null } };
  expect(firstValues(first as never, '/headgates')).toEqual({ 'path gateId': 'north-1', 'query why': 'dry canal', 'header x-note': '', 'cookie mode': '' });
  expect(firstValues({ ...first, attempt: { target: '/headgates/gates/%E0%A4%A/notes', body: null } } as never, '/headgates')['path gateId']).toBe('%E0%A4%A');
});

test('Basic credentials are the example of RFC 7617 section 2, and its UTF-8 one of section 2.1', () => {
  expect(basicOf('Aladdin', 'open sesame')).toBe('QWxhZGRpbjpvcGVuIHNlc2FtZQ==');
  expect(basicOf('test', '123£')).toBe('dGVzdDoxMjPCow==');
});

test('a refusal of the gateway is read as far as a caller may know; what the service behind says is its own', () => {
  const answer = (status: number, problem: unknown, more: Record<string, string> = {}) =>
    refusalIn({
      status,
      body: typeof problem === 'string' ? problem : JSON.stringify(problem),
      headers: Object.entries({ 'Content-Type': 'application/problem+json', ...more }).map(([name, value]) => ({ name, value })),
    });
  expect(answer(429, { type: 'urn:virga:problem:too-many-requests', title: 'Too many requests' }, { 'Retry-After': '30' })).toEqual({
    title: 'Too many requests',
    detail: '',
    places: [],
    next: 'There is room again in 30 s.',
  });
  expect(answer(429, { type: 'urn:virga:problem:too-many-requests', title: 'x' }, { 'Retry-After': '7200' })?.next).toContain('2 hours');
  expect(
    answer(
      401,
      { type: 'urn:virga:problem:invalid_token', title: 'x' },
      { 'WWW-Authenticate': 'Bearer error="invalid_token", error_description="it \\"ended\\""' },
    )?.detail,
  ).toBe('it "ended"');
  expect(answer(400, { type: 'urn:virga:problem:bad-request', title: 'x', errors: [{ pointer: '#/a', detail: 'a number' }] })?.places).toEqual([
    '#/a a number',
  ]);
  for (const [status, problem] of [
    [200, {}],
    [404, { type: 'about:blank', title: 'x' }],
    [500, 'not JSON'],
    [500, 'null'],
  ] as const)
    expect(answer(status, problem)).toBeNull();
});
