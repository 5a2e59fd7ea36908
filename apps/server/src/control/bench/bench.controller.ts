import { Body, Controller, Delete, Get, Header, HttpCode, HttpException, Param, Post, Req } from '@nestjs/common';
import { ApiExcludeEndpoint, ApiTags } from '@nestjs/swagger';
import {
  BenchIssuerView,
  ExamineInput,
  ExamineView,
  GrantInput,
  GrantView,
  MintInput,
  MintView,
  PkceView,
  SavedTokenInput,
  SavedTokenList,
  SavedTokenView,
  TamperView,
  type ProblemDocument,
} from '@virga/protocol';
import type { Request } from 'express';
import { callbackPage } from '../../http/callback-page.js';
import { Endpoint } from '../../http/endpoint.js';
import { OpenEndpoint } from '../../session/access.guard.js';
import { BenchIssuer } from './bench-issuer.js';
import { BenchService } from './bench.service.js';
import { GrantService, pkcePair } from './grant.service.js';

@ApiTags('bench')
@Controller('control/v1/bench')
export class BenchController {
  constructor(
    private readonly bench: BenchService,
    private readonly issuer: BenchIssuer,
    private readonly grants: GrantService,
  ) {}

  @Post('examinations')
  @Endpoint({ summary: 'Hold a token against a rule, check by check, by the gateway’s own code', body: ExamineInput, answer: ExamineView, errors: [502, 503] })
  examine(@Body() input: ExamineInput): Promise<ExamineView> {
    return this.bench.examine(input);
  }

  @Post('tamperings')
  @Endpoint({ summary: 'Send one-change variants of a token through the same rule', body: ExamineInput, answer: TamperView, errors: [502, 503] })
  tamper(@Body() input: ExamineInput): Promise<TamperView> {
    return this.bench.tamper(input);
  }

  @Get('issuer')
  @Endpoint({ summary: 'The bench’s own issuer and its public keys', answer: BenchIssuerView })
  async about(): Promise<BenchIssuerView> {
    return { issuer: this.issuer.issuer, keySet: await this.issuer.keySet() };
  }

  @Post('tokens')
  @Endpoint({ summary: 'Sign a test token with the bench’s own issuer', body: MintInput, answer: MintView })
  mint(@Body() input: MintInput): Promise<MintView> {
    return this.issuer.mint(input);
  }

  @Post('pkce')
  @Endpoint({ summary: 'Make a PKCE verifier and its challenge (RFC 7636)', answer: PkceView })
  pkce(): Promise<PkceView> {
    return pkcePair();
  }

  @Post('grants')
  @Endpoint({ summary: 'Get a token from a trusted provider and show every exchange', body: GrantInput, answer: GrantView, errors: [404] })
  begin(@Body() input: GrantInput): Promise<GrantView> {
    return this.grants.begin(input);
  }

  @Get('grants/:id')
  @Endpoint({ summary: 'How far a grant has come', answer: GrantView, errors: [404] })
  grant(@Param('id') id: string): GrantView {
    return this.grants.view(id);
  }

  @Delete('grants/:id')
  @Endpoint({ summary: 'End a grant and forget its tokens', errors: [404] })
  cancel(@Param('id') id: string): void {
    this.grants.cancel(id);
  }

  /** Reached by a redirect of the provider, so it carries no credential of ours: the state, good once, is the proof. */
  @Get('callback')
  @OpenEndpoint()
  @ApiExcludeEndpoint()
  @Header('content-type', 'text/html; charset=utf-8')
  @Header('referrer-policy', 'no-referrer')
  async callback(@Req() request: Request): Promise<string> {
    const query = request.url.split('?')[1] ?? '';
    // The implicit grant answers in the fragment, which only the page itself can read; its script sends it on.
    if (query === '') return callbackPage('One moment', 'The answer of the provider is being taken.', 'fragment');
    return this.#finish(query);
  }

  @Post('callback')
  @OpenEndpoint()
  @ApiExcludeEndpoint()
  @HttpCode(200)
  @Header('content-type', 'text/html; charset=utf-8')
  async fragment(@Body() body: { fragment?: unknown }): Promise<string> {
    return this.#finish(typeof body.fragment === 'string' ? body.fragment.slice(0, 100_000) : '');
  }

  async #finish(parameters: string): Promise<string> {
    try {
      return callbackPage(await this.grants.finish(parameters), 'The bench shows it. This window can be closed.', 'done');
    } catch (error) {
      const body = error instanceof HttpException ? (error.getResponse() as ProblemDocument) : null;
      return callbackPage(body?.title ?? 'The sign-in failed', body?.detail ?? 'The control plane’s log has the reason.', 'failed');
    }
  }

  @Get('saved-tokens')
  @Endpoint({ summary: 'Tokens kept by name, without their signatures', answer: SavedTokenList })
  async saved(): Promise<SavedTokenList> {
    return { items: await this.bench.saved() };
  }

  @Post('saved-tokens')
  @Endpoint({ summary: 'Keep a token by name; its signature is taken off', body: SavedTokenInput, answer: SavedTokenView, status: 201 })
  save(@Body() input: SavedTokenInput): Promise<SavedTokenView> {
    return this.bench.save(input);
  }

  @Delete('saved-tokens/:id')
  @Endpoint({ summary: 'Forget a token that was kept', errors: [404] })
  async forget(@Param('id') id: string): Promise<void> {
    await this.bench.forget(id);
  }
}
