import { Body, Controller, Delete, Get, Param, Post, Put } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import {
  AuthorizerInput,
  AuthorizerList,
  AuthorizerUsesInput,
  AuthorizerView,
  CaseInputView,
  CaseResults,
  InputOfTrace,
  TriedList,
  TryAuthorizerInput,
} from '@virga/protocol';
import { Endpoint } from '../../http/endpoint.js';
import { Edited, type EditedBy } from '../../session/edited-by.js';
import { DraftService } from '../releases/draft.service.js';
import { AuthorizersService } from './authorizers.service.js';
import { CaseRunner } from '../cases/case-runner.js';
import { CaseInputs } from './case-inputs.js';

@ApiTags('authorizers')
@Controller('control/v1/authorizers')
export class AuthorizersController {
  constructor(
    private readonly authorizers: AuthorizersService,
    private readonly cases: CaseRunner,
    private readonly inputs: CaseInputs,
    private readonly draft: DraftService,
  ) {}

  @Get()
  @Endpoint({ summary: 'Authorizers of the draft, and what asking each cost', answer: AuthorizerList })
  list(): AuthorizerList {
    return this.authorizers.list();
  }

  @Post('try')
  @Endpoint({ summary: 'Ask an authorizer, saved or not, with inputs by hand, on a node', body: TryAuthorizerInput, answer: TriedList, errors: [503] })
  try(@Body() input: TryAuthorizerInput): Promise<TriedList> {
    return this.authorizers.try(input);
  }

  @Post('cases/run')
  @Endpoint({ summary: 'Run the cases of all authorizers of the draft, as publishing does', answer: CaseResults })
  runCases(): Promise<CaseResults> {
    return this.cases.run(this.draft.document);
  }

  @Post('cases/of-trace')
  @Endpoint({ summary: 'The input of a case, made of a recorded request', body: InputOfTrace, answer: CaseInputView, errors: [404] })
  inputOf(@Body() of: InputOfTrace): Promise<CaseInputView> {
    return this.inputs.inputOf(of);
  }

  @Get(':name')
  @Endpoint({ summary: 'One authorizer', answer: AuthorizerView, errors: [404] })
  view(@Param('name') name: string): AuthorizerView {
    return this.authorizers.view(name);
  }

  @Put(':name')
  @Endpoint({ summary: 'Set an authorizer of the draft, whole', body: AuthorizerInput, answer: AuthorizerView, errors: [404, 412] })
  set(@Param('name') name: string, @Body() input: AuthorizerInput, @Edited() edited: EditedBy): Promise<AuthorizerView> {
    return this.authorizers.set(name, input, edited);
  }

  @Delete(':name')
  @Endpoint({ summary: 'Take an authorizer that no rule calls out of the draft', errors: [404, 409, 412] })
  async remove(@Param('name') name: string, @Edited() edited: EditedBy): Promise<void> {
    await this.authorizers.remove(name, edited);
  }

  @Post(':name/uses')
  @Endpoint({ summary: 'Let rules call an authorizer, or no longer', body: AuthorizerUsesInput, answer: AuthorizerView, errors: [404] })
  use(@Param('name') name: string, @Body() input: AuthorizerUsesInput, @Edited() edited: EditedBy): Promise<AuthorizerView> {
    return this.authorizers.use(name, input, edited);
  }

  @Post(':name/drop')
  @Endpoint({ summary: 'Forget the kept answers of an authorizer, on every node, at once', errors: [404] })
  drop(@Param('name') name: string): void {
    this.authorizers.drop(name);
  }
}
