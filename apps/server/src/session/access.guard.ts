import { type CanActivate, type ExecutionContext, createParamDecorator, HttpException, Injectable, SetMetadata } from '@nestjs/common';
import { Reflector } from '@nestjs/core';
import type { Request } from 'express';
import { problem } from '../http/problems.js';
import { sameText, SESSION_COOKIE, SessionService, type Session } from './session.service.js';

/** Who a request comes from: an operator, or automation with the control token. */
export interface Caller {
  readonly name: string;
  readonly sessionId: string | null;
  readonly session: Session | null;
}

export type CalledRequest = Request & { caller?: Caller };

const OPEN = 'virga:open';

/** Marks an endpoint that needs no credential, or checks its own. */
export const OpenEndpoint = () => SetMetadata(OPEN, true);

export const CalledBy = createParamDecorator((_data: unknown, context: ExecutionContext): Caller => {
  const { caller } = context.switchToHttp().getRequest<CalledRequest>();
  if (!caller) throw new Error('invariant: the guard ran');
  return caller;
});

export function cookieOf(request: Request, name: string): string | null {
  for (const pair of (request.headers.cookie ?? '').split(';')) {
    const [key, value] = pair.trim().split('=');
    if (key === name && value) return value;
  }
  return null;
}

export function bearerOf(request: Request): string | null {
  return /^bearer ([\w-]+)$/i.exec(request.headers.authorization ?? '')?.[1] ?? null;
}

/** Lets in the control token and signed-in operators. A session that changes something must send its CSRF token too. */
@Injectable()
export class AccessGuard implements CanActivate {
  constructor(
    private readonly reflector: Reflector,
    private readonly sessions: SessionService,
  ) {}

  async canActivate(context: ExecutionContext): Promise<boolean> {
    if (this.reflector.getAllAndOverride<boolean>(OPEN, [context.getHandler(), context.getClass()])) return true;
    const request = context.switchToHttp().getRequest<CalledRequest>();
    const bearer = bearerOf(request);
    if (bearer !== null) {
      if (!this.sessions.isControlToken(bearer)) throw unauthorized('The control token is wrong');
      request.caller = { name: 'automation', sessionId: null, session: null };
      return true;
    }
    const id = cookieOf(request, SESSION_COOKIE);
    const session = id === null ? null : await this.sessions.find(id);
    if (id === null || !session) throw unauthorized('Sign in, or send the control token');
    const changes = !['GET', 'HEAD', 'OPTIONS'].includes(request.method);
    if (changes && !sameText(request.headers['x-csrf-token']?.toString() ?? '', session.csrfToken)) {
      throw problem(403, 'The CSRF token is missing or wrong', 'Reload the console. Requests that change something carry the header X-CSRF-Token.');
    }
    request.caller = { name: session.name, sessionId: id, session };
    return true;
  }
}

function unauthorized(title: string): HttpException {
  return problem(401, title);
}
