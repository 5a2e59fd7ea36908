import type { Request, RequestHandler, Response } from 'express';
import type { ProblemDocument } from '@virga/protocol';
import { bearerOf, cookieOf } from './access.guard.js';
import { SESSION_COOKIE, type SessionService } from './session.service.js';
import { jsonBody } from '../http/json-body.js';
import { Turns } from '../http/turns.js';

/** Bounds on bodies of requests. A body without a credential is read only where one signs in. */
export const BODY_LIMITS = {
  /** Without a credential, bytes. */
  open: 16 * 1024,
  usual: 4 * 1024 * 1024,
  /** API descriptions and records of nodes. */
  large: 20 * 1024 * 1024,
  /** Large ones that are taken at one time, and that may wait. */
  largeAtOnce: 2,
  largeWaiting: 16,
} as const;

const LARGE = /^\/(control\/v1\/(contracts\/read|apis(\/[^/]+\/contract)?|clients\/list|leaks)|scanner\/v1\/leaks|nodes\/v1\/(records|sightings))$/;
/** Where the scanner's credential counts, and no other. */
const SCANNER = '/scanner/v1/leaks';
/** Where a body is read without a credential: each of these checks its own. */
const OPEN = new Set(['/control/v1/session', '/control/v1/bench/callback']);
/** How much of a refused body is read on, and for how long, so that its sender can read the answer. Nothing of it is kept. */
const LINGER = { bytes: 32 * 1024 * 1024, ms: 2000 } as const;

/** Reads bodies: the credential first, then within bounds that depend on what is asked. */
export function readBodies(sessions: SessionService, isScanner: (bearer: string) => Promise<boolean>): RequestHandler {
  const [open, usual, large] = [jsonBody(BODY_LIMITS.open), jsonBody(BODY_LIMITS.usual), jsonBody(BODY_LIMITS.large)];
  const turns = new Turns(BODY_LIMITS.largeAtOnce, BODY_LIMITS.largeWaiting);
  return (request, response, next) => {
    if (!hasBody(request)) return next();
    if (request.method === 'POST' && OPEN.has(request.path)) return open(request, response, next);
    void isKnown(request, sessions, isScanner)
      .then(async (known) => {
        if (!known) return refuse(request, response, { type: 'about:blank', title: 'Sign in, or send the control token', status: 401 });
        if (!LARGE.test(request.path)) return usual(request, response, next);
        const done = await turns.take();
        if (!done) {
          response.set('retry-after', '5');
          return refuse(request, response, { type: 'about:blank', title: 'Too many large requests at one time', status: 503 });
        }
        response.once('close', done);
        if (response.destroyed) return done();
        return large(request, response, next);
      })
      .catch(next as (error: unknown) => void);
  };
}

const hasBody = ({ headers }: Request): boolean => headers['transfer-encoding'] !== undefined || Number(headers['content-length'] ?? 0) > 0;

/** Whether a request carries a credential of some kind. Which kind an endpoint takes, and its CSRF token, the guards look at. */
async function isKnown(request: Request, sessions: SessionService, isScanner: (bearer: string) => Promise<boolean>): Promise<boolean> {
  const bearer = bearerOf(request);
  if (bearer !== null && request.path === SCANNER) return isScanner(bearer);
  if (bearer !== null) return sessions.isControlToken(bearer) || sessions.isNodeToken(bearer);
  const id = cookieOf(request, SESSION_COOKIE);
  return id !== null && (await sessions.find(id)) !== null;
}

/** Answers, and reads on a little so that the sender can read the answer. */
function refuse(request: Request, response: Response, document: ProblemDocument): void {
  response.set({ connection: 'close', 'cache-control': 'no-store' }).status(document.status).type('application/problem+json');
  const text = JSON.stringify(document);
  response.set('content-length', String(Buffer.byteLength(text)));
  response.write(text);
  let size = 0;
  const end = (): void => {
    clearTimeout(timer);
    response.end();
  };
  const timer = setTimeout(end, LINGER.ms);
  request.on('data', (part: Buffer) => ((size += part.length) > LINGER.bytes ? end() : undefined));
  request.once('end', end);
  request.once('close', end);
}
