import { Body, Controller, Get, Header, HttpCode, HttpException, Param, Post, Req } from '@nestjs/common';
import { AttemptInput, OwnTokenInput, type AttemptAnswer, type OwnToken, type PortalSession, type ProblemDocument } from '@virga/protocol';
import type { Request } from 'express';
import { AttemptsService } from '../attempts.service.js';
import { OwnTokensService } from '../own-tokens.service.js';
import { portalPage } from '../portal-page.js';
import { OpenToAll, SignedIn } from '../portal.guard.js';

/** Trying a call, and getting a token for it. */
@Controller('portal/v1')
export class AttemptsController {
  constructor(
    private readonly attempts: AttemptsService,
    private readonly tokens: OwnTokensService,
  ) {}

  @Post('attempts')
  @HttpCode(200)
  run(@Body() input: AttemptInput, @SignedIn() session: PortalSession, @Req() request: Request): Promise<AttemptAnswer> {
    return this.attempts.run(input, session, request.ip ?? '');
  }

  @Post('tokens')
  @HttpCode(200)
  begin(@Body() input: OwnTokenInput, @SignedIn() session: PortalSession): Promise<OwnToken> {
    return this.tokens.begin(input, session);
  }

  /** Reached by a redirect of the provider: the state, good once, is the proof. */
  @Get('tokens/callback')
  @OpenToAll()
  @Header('content-type', 'text/html; charset=utf-8')
  @Header('referrer-policy', 'no-referrer')
  async callback(@Req() request: Request): Promise<string> {
    try {
      return portalPage(await this.tokens.finish(request.url.split('?')[1] ?? ''), 'The page that asked for it has it now. This window can be closed.', null);
    } catch (error) {
      if (!(error instanceof HttpException)) throw error;
      const { title, detail } = error.getResponse() as ProblemDocument;
      return portalPage(title, detail ?? '', null);
    }
  }

  @Get('tokens/:id')
  view(@Param('id') id: string, @SignedIn() session: PortalSession): OwnToken {
    return this.tokens.view(id, session);
  }
}
