import { createServer, type IncomingMessage, type Server } from 'node:http';

/** A request as a handler sees it: path parameters, query and parsed body. */
export interface Call {
  readonly params: Readonly<Record<string, string>>;
  readonly query: URLSearchParams;
  readonly body: unknown;
}

export interface Answer {
  readonly status: number;
  readonly body?: unknown;
  readonly headers?: Readonly<Record<string, string>>;
}

export interface Route {
  readonly method: string;
  readonly path: string;
  readonly handle: (call: Call) => Answer;
}

const MAX_BODY = 1024 * 1024;

/** A small JSON service for stand-in upstreams. */
export function jsonService(routes: readonly Route[], headers: Readonly<Record<string, string>> = {}): Server {
  const compiled = routes.map((route) => ({
    ...route,
    names: [...route.path.matchAll(/\{(\w+)\}/g)].map((match) => match[1] ?? ''),
    pattern: new RegExp(`^${route.path.replace(/\{\w+\}/g, '([^/]+)')}$`),
  }));
  const serve = async (req: IncomingMessage): Promise<Answer> => {
    const url = new URL(req.url ?? '/', 'http://upstream.example');
    const method = req.method === 'HEAD' ? 'GET' : req.method;
    for (const route of compiled) {
      const match = route.method === method ? route.pattern.exec(url.pathname) : null;
      if (!match) continue;
      const params = Object.fromEntries(route.names.map((name, index) => [name, decodeURIComponent(match[index + 1] ?? '')]));
      return route.handle({ params, query: url.searchParams, body: await readJson(req) });
    }
    return { status: 404, body: { error: 'no such resource' } };
  };
  return createServer((req, res) => {
    serve(req).then(
      (answer) => {
        const text = answer.body === undefined ? '' : JSON.stringify(answer.body);
        res.writeHead(answer.status, { ...headers, ...(text === '' ? {} : { 'content-type': 'application/json' }), ...answer.headers });
        res.end(text);
      },
      (error: Error) => {
        res.writeHead(400, { 'content-type': 'application/json' });
        res.end(JSON.stringify({ error: error.message }));
      },
    );
  });
}

async function readJson(req: IncomingMessage): Promise<unknown> {
  let text = '';
  for await (const part of req.setEncoding('utf8') as AsyncIterable<string>) {
    text += part;
    if (text.length > MAX_BODY) throw new Error('the body is too large');
  }
  return text === '' ? undefined : (JSON.parse(text) as unknown);
}
