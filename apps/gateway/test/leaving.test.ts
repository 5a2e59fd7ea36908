import { connect } from 'node:net';
import { startGuarded, until } from './harness.js';

/** Answers that are whole wait for each other and leave together: each still goes to whom it is for, in the order of its connection. */
let world: Awaited<ReturnType<typeof startGuarded>>;

beforeAll(async () => {
  world = await startGuarded((req, res) => {
    const { url = '' } = req;
    const body = JSON.stringify({ url, of: 'x'.repeat(url.includes('large') ? 6000 : 1) });
    res.setHeader('content-length', body.length);
    if (url.includes('half')) {
      res.write(body.slice(0, 10));
      setTimeout(() => res.destroy(), 5);
    } else if (url.includes('late')) setTimeout(() => res.end(body), 20);
    else res.end(req.method === 'HEAD' ? undefined : body);
  });
});
afterAll(() => world.stop());

interface Answer {
  readonly status: number;
  readonly body: string;
}

/** Reads whole answers off a connection by their lengths (RFC 9112 section 6.3). Throws for anything between two of them. */
function answersIn(text: string, methods: readonly string[]): Answer[] {
  const answers: Answer[] = [];
  let rest = text;
  while (rest !== '') {
    const head = /^HTTP\/1\.1 (\d{3}) [^\r\n]*\r\n((?:[^\r\n]+\r\n)*)\r\n/.exec(rest);
    if (!head) {
      if (rest.includes('\r\n\r\n')) throw new Error(`no head: ${rest.slice(0, 80)}`);
      return answers;
    }
    const length = Number(/^content-length: (\d+)\r$/im.exec(head[2] ?? '')?.[1] ?? 'NaN');
    const size = methods[answers.length] === 'HEAD' ? 0 : length;
    if (!(rest.length >= head[0].length + size)) return answers;
    answers.push({ status: Number(head[1]), body: rest.slice(head[0].length, head[0].length + size) });
    rest = rest.slice(head[0].length + size);
  }
  return answers;
}

/** Sends some requests in one write and reads as many answers. */
async function together(requests: readonly (readonly [method: string, path: string])[]): Promise<Answer[]> {
  const socket = connect(world.port, '127.0.0.1');
  let text = '';
  socket.on('data', (part: Buffer) => (text += part.toString('latin1')));
  socket.write(requests.map(([method, path]) => `${method} ${path} HTTP/1.1\r\nHost: g\r\n\r\n`).join(''));
  const methods = requests.map(([method]) => method);
  const answers = await until(() => {
    const found = answersIn(text, methods);
    return found.length >= requests.length ? found : null;
  }, `${requests.length} answers`);
  socket.destroy();
  return answers;
}
const urlOf = ({ body }: Answer): string => (JSON.parse(body) as { url: string }).url;

test('of requests in one write each has its own, in their order, whatever becomes of each', async () => {
  const kinds = (index: number) =>
    [
      ['GET', `/a/open/${index}`, 200],
      ['GET', '/a/guarded', 401],
      ['GET', `/a/open/late${index}`, 200],
      ['HEAD', `/a/open/${index}`, 200],
      ['GET', `/nowhere/${index}`, 404],
      ['GET', `/a/open/large${index}`, 200],
    ] as const;
  const asked = Array.from({ length: 10 }, (_, index) => kinds(index)).flat();
  const answers = await together(asked.map(([method, path]) => [method, path]));
  expect(answers.map(({ status }) => status)).toEqual(asked.map(([, , status]) => status));
  asked.forEach(([method, path, status], index) => {
    const answer = answers[index] as Answer;
    if (method === 'GET' && status === 200) expect(path.endsWith(urlOf(answer))).toBe(true);
    if (method === 'HEAD') expect(answer.body).toBe('');
  });
});

test('of many connections at once each has its own, beside callers that leave and an upstream that breaks off', async () => {
  const leavers = Array.from({ length: 60 }, (_, index) => {
    const socket = connect(world.port, '127.0.0.1');
    socket.on('error', () => undefined);
    socket.write(`GET /a/open/gone${index} HTTP/1.1\r\nHost: g\r\n\r\n`);
    // At once, or while the answer is on its way.
    if (index % 2 === 0) socket.end();
    else setTimeout(() => socket.resetAndDestroy(), index % 7);
    return socket;
  });
  const broken = Array.from(
    { length: 10 },
    (_, index) =>
      new Promise<string>((resolve) => {
        const socket = connect(world.port, '127.0.0.1');
        let text = '';
        socket.on('data', (part: Buffer) => (text += part.toString('latin1')));
        socket.on('error', () => undefined);
        socket.on('close', () => resolve(text));
        socket.write(`GET /a/open/half${index} HTTP/1.1\r\nHost: g\r\n\r\n`);
      }),
  );
  const paths = Array.from({ length: 120 }, (_, index) => `/a/open/own${index}`);
  const answers = await Promise.all(paths.map((path) => together([['GET', path]])));
  expect(answers.map(([answer]) => path(answer))).toEqual(paths);
  for (const text of await Promise.all(broken)) expect(answersIn(text, ['GET'])).toEqual([]);
  for (const socket of leavers) socket.destroy();
  expect((await together([['GET', '/a/open/after']])).map(path)).toEqual(['/a/open/after']);
});
const path = (answer: Answer | undefined): string => (answer?.status === 200 ? `/a${urlOf(answer)}` : String(answer?.status));
