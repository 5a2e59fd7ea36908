import { Body, Controller, Get, Param, Post, Query } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import { AcceptView, ContractText, DriftAcceptInput, DriftList, InventoryView, LearnedKeyInput, LearnedView, ReviewInput, ReviewView } from '@virga/protocol';
import { Endpoint } from '../../http/endpoint.js';
import { fieldProblem } from '../../http/problems.js';
import { Edited, type EditedBy } from '../../session/edited-by.js';
import { InventoryService } from './inventory.service.js';

@ApiTags('inventory')
@Controller('control/v1')
export class InventoryController {
  constructor(private readonly inventory: InventoryService) {}

  @Get('inventory')
  @Endpoint({ summary: 'Operations of contracts and of traffic: documented and seen, never seen, seen and not documented', answer: InventoryView })
  view(): Promise<InventoryView> {
    return this.inventory.view();
  }

  @Get('apis/:id/learned/operation')
  @Endpoint({ summary: 'An operation that was learned from traffic, with its evidence', answer: LearnedView, errors: [404] })
  learned(@Param('id') id: string, @Query('key') key: unknown): Promise<LearnedView> {
    if (typeof key !== 'string' || key.length > 2000) throw fieldProblem('/key', 'Name one operation by its method and path');
    return this.inventory.learned(id, key);
  }

  @Post('apis/:id/learned/review')
  @Endpoint({
    summary: 'How an operation that was learned would join the contract; changes nothing',
    body: ReviewInput,
    answer: ReviewView,
    errors: [404, 409],
  })
  review(@Param('id') id: string, @Body() input: ReviewInput): Promise<ReviewView> {
    return this.inventory.review(id, input);
  }

  @Post('apis/:id/learned/accept')
  @Endpoint({ summary: 'Take an operation that was learned into the contract of the draft', body: ReviewInput, answer: ReviewView, errors: [404, 409, 412] })
  accept(@Param('id') id: string, @Body() input: ReviewInput, @Edited() edited: EditedBy): Promise<ReviewView> {
    return this.inventory.accept(id, input, edited);
  }

  @Post('apis/:id/learned/dismiss')
  @Endpoint({ summary: 'Say that an operation that was learned is none of the contract’s business', body: LearnedKeyInput, errors: [404] })
  dismiss(@Param('id') id: string, @Body() { key }: LearnedKeyInput, @Edited() { by }: EditedBy): Promise<void> {
    return this.inventory.dismiss(id, key, by);
  }

  @Post('apis/:id/learned/recall')
  @Endpoint({ summary: 'Take back that an operation was dismissed', body: LearnedKeyInput, errors: [404] })
  recall(@Param('id') id: string, @Body() { key }: LearnedKeyInput): Promise<void> {
    return this.inventory.dismiss(id, key, null);
  }

  @Get('apis/:id/learned/document')
  @Endpoint({ summary: 'What was learned of an API, as an OpenAPI 3.1 description', answer: ContractText, errors: [404] })
  async document(@Param('id') id: string): Promise<ContractText> {
    return { text: await this.inventory.document(id), format: 'json' };
  }

  @Get('apis/:id/contract/openapi-3.1')
  @Endpoint({ summary: 'The contract of the draft, with all that was accepted, as an OpenAPI 3.1 description', answer: ContractText, errors: [404] })
  asOpenApi31(@Param('id') id: string): Promise<ContractText> {
    return this.inventory.asOpenApi31(id);
  }

  @Get('apis/:id/contract/enforced')
  @Endpoint({ summary: 'The contract with what is really enforced by the draft', answer: ContractText, errors: [404] })
  enforced(@Param('id') id: string): Promise<ContractText> {
    return this.inventory.enforced(id);
  }

  @Get('apis/:id/drift')
  @Endpoint({
    summary: 'Where traffic and contract disagree, and where the contract’s security says other than what the gateway does',
    answer: DriftList,
    errors: [404],
  })
  drift(@Param('id') id: string): Promise<DriftList> {
    return this.inventory.drift(id);
  }

  @Post('apis/:id/drift/accept')
  @Endpoint({ summary: 'How the contract would say what traffic does; changes nothing', body: DriftAcceptInput, answer: AcceptView, errors: [404, 409] })
  acceptDrift(@Param('id') id: string, @Body() input: DriftAcceptInput): Promise<AcceptView> {
    return this.inventory.acceptDrift(id, input);
  }
}
