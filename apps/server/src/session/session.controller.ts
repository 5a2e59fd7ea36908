import { Body, Controller, Delete, Get, Post, Req, Res } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import { SessionView, SignInInput } from '@virga/protocol';
import type { Request, Response } from 'express';
import { Endpoint } from '../http/endpoint.js';
import { problem } from '../http/problems.js';
import { CalledBy, cookieOf, OpenEndpoint, type Caller } from './access.guard.js';
import { BROWSER_COOKIE, BROWSER_MS, SESSION_COOKIE, SessionService } from './session.service.js';

const COOKIE = { httpOnly: true, sameSite: 'strict', path: '/' } as const;

@ApiTags('session')
@Controller('control/v1/session')
export class SessionController {
  constructor(private readonly sessions: SessionService) {}

  @Post()
  @OpenEndpoint()
  @Endpoint({ summary: 'Sign in to the console', body: SignInInput, answer: SessionView, errors: [429] })
  async signIn(@Body() input: SignInInput, @Req() request: Request, @Res({ passthrough: true }) response: Response): Promise<SessionView> {
    const { from, waitMs } = this.sessions.admit(input.name, request.socket.remoteAddress ?? '', cookieOf(request, BROWSER_COOKIE));
    if (waitMs > 0) {
      response.set('retry-after', String(Math.ceil(waitMs / 1000)));
      throw problem(429, 'Too many attempts to sign in', `Try again in ${Math.ceil(waitMs / 1000)} s.`);
    }
    const made = await this.sessions.signIn(input.name, input.password, from);
    if (!made) throw problem(401, 'Name or password is wrong');
    response.cookie(SESSION_COOKIE, made.id, { ...COOKIE, expires: new Date(made.session.expiresAt) });
    response.cookie(BROWSER_COOKIE, made.mark, { ...COOKIE, maxAge: BROWSER_MS });
    return made.session;
  }

  @Get()
  @Endpoint({ summary: 'Who is signed in', answer: SessionView, errors: [404] })
  current(@CalledBy() caller: Caller): SessionView {
    if (!caller.session) throw problem(404, 'The control token has no session');
    return caller.session;
  }

  @Delete()
  @Endpoint({ summary: 'Sign out' })
  async signOut(@CalledBy() caller: Caller, @Res({ passthrough: true }) response: Response): Promise<void> {
    if (caller.sessionId !== null) await this.sessions.signOut(caller.sessionId);
    response.clearCookie(SESSION_COOKIE, COOKIE);
  }
}
