import { Body, Controller, Get, Param, Post, Query } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import { CONTRACT_PARTS } from '@virga/core';
import { AcceptInput, AcceptView, ContractPlaceView, ContractStandingList, ViolationList } from '@virga/protocol';
import { Endpoint } from '../../http/endpoint.js';
import { fieldProblem } from '../../http/problems.js';
import { ConformanceService } from './conformance.service.js';

const MOST_HOURS = 168;

@ApiTags('contracts')
@Controller('control/v1')
export class ConformanceController {
  constructor(private readonly conformance: ConformanceService) {}

  @Get('conformance')
  @Endpoint({ summary: 'What of each contract is checked, and how often it was kept in the last 24 hours', answer: ContractStandingList })
  async standing(): Promise<ContractStandingList> {
    return { items: await this.conformance.standing() };
  }

  @Get('violations')
  @Endpoint({ summary: 'What deviated from contracts, where and by whom', answer: ViolationList })
  violations(@Query('api') api: unknown, @Query('part') part: unknown, @Query('hours') hours: unknown): Promise<ViolationList> {
    if (api !== undefined && typeof api !== 'string') throw fieldProblem('/api', 'An API is named by its id, once');
    if (part !== undefined && !['contract', ...CONTRACT_PARTS].some((one) => one === part))
      throw fieldProblem('/part', `A part is one of ${CONTRACT_PARTS.join(', ')}`);
    const span = hours === undefined ? 24 : Number(hours);
    if (!Number.isInteger(span) || span < 1 || span > MOST_HOURS) throw fieldProblem('/hours', `A span has 1 to ${MOST_HOURS} hours`);
    return this.conformance.list({ api, part: part as string | undefined }, span);
  }

  @Get('apis/:id/contract/place')
  @Endpoint({ summary: 'Where a rule stands in a contract', answer: ContractPlaceView, errors: [404] })
  place(@Param('id') id: string, @Query('pointer') pointer: unknown): Promise<ContractPlaceView> {
    if (typeof pointer !== 'string' || pointer.length > 2000) throw fieldProblem('/pointer', 'Give one JSON Pointer');
    return this.conformance.place(id, pointer);
  }

  @Post('apis/:id/contract/accept')
  @Endpoint({ summary: 'How a contract would accept what deviates from it; changes nothing', body: AcceptInput, answer: AcceptView, errors: [404, 409] })
  accept(@Param('id') id: string, @Body() { violation }: AcceptInput): Promise<AcceptView> {
    return this.conformance.accept(id, violation);
  }
}
