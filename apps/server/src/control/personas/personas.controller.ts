import { Body, Controller, Delete, Get, Header, HttpException, Param, Post, Put, Req } from '@nestjs/common';
import { ApiExcludeEndpoint, ApiTags } from '@nestjs/swagger';
import { PersonaInput, PersonaList, PersonaView, SignInStart, TokenView, type ProblemDocument } from '@virga/protocol';
import type { Request } from 'express';
import { OpenEndpoint } from '../../session/access.guard.js';
import { callbackPage } from '../../http/callback-page.js';
import { Endpoint } from '../../http/endpoint.js';
import { PersonasService } from './personas.service.js';

@ApiTags('personas')
@Controller('control/v1/personas')
export class PersonasController {
  constructor(private readonly personas: PersonasService) {}

  @Get()
  @Endpoint({ summary: 'Saved ways of getting a token', answer: PersonaList })
  async list(): Promise<PersonaList> {
    return { items: await this.personas.list() };
  }

  @Post()
  @Endpoint({ summary: 'Save a persona', body: PersonaInput, answer: PersonaView, status: 201 })
  add(@Body() input: PersonaInput): Promise<PersonaView> {
    return this.personas.add(input);
  }

  /** Reached by a redirect of the provider, so it carries no credential of ours: the state, good once, is the proof. */
  @Get('callback')
  @OpenEndpoint()
  @ApiExcludeEndpoint()
  @Header('content-type', 'text/html; charset=utf-8')
  @Header('referrer-policy', 'no-referrer')
  async callback(@Req() request: Request): Promise<string> {
    try {
      const name = await this.personas.endSignIn(request.url.split('?')[1] ?? '');
      return callbackPage(`${name} is signed in`, 'The token is ready in the probe. This window can be closed.', 'done');
    } catch (error) {
      const body = error instanceof HttpException ? (error.getResponse() as ProblemDocument) : null;
      return callbackPage(body?.title ?? 'The sign-in failed', body?.detail ?? 'The control plane’s log has the reason.', 'failed');
    }
  }

  @Put(':id')
  @Endpoint({ summary: 'Change a persona', body: PersonaInput, answer: PersonaView, errors: [404] })
  change(@Param('id') id: string, @Body() input: PersonaInput): Promise<PersonaView> {
    return this.personas.change(id, input);
  }

  @Delete(':id')
  @Endpoint({ summary: 'Delete a persona', errors: [404] })
  async remove(@Param('id') id: string): Promise<void> {
    await this.personas.remove(id);
  }

  @Post(':id/token')
  @Endpoint({ summary: 'The persona’s token, got from its provider when there is none', answer: TokenView, errors: [404, 409, 502] })
  token(@Param('id') id: string): Promise<TokenView> {
    return this.personas.token(id);
  }

  @Delete(':id/token')
  @Endpoint({ summary: 'Forget the persona’s token', errors: [404] })
  async forget(@Param('id') id: string): Promise<void> {
    await this.personas.forget(id);
  }

  @Post(':id/sign-in')
  @Endpoint({ summary: 'Begin authorization code with PKCE', answer: SignInStart, errors: [404, 409, 502] })
  async signIn(@Param('id') id: string): Promise<SignInStart> {
    return { url: await this.personas.beginSignIn(id) };
  }
}
