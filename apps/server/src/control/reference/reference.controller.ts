import { Controller, Get, Param, Query } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import { ReferenceOperationView, ReferenceView } from '@virga/protocol';
import { Endpoint } from '../../http/endpoint.js';
import { fieldProblem } from '../../http/problems.js';
import { ReferenceService } from './reference.service.js';

@ApiTags('reference')
@Controller('control/v1/apis/:id/reference')
export class ReferenceController {
  constructor(private readonly reference: ReferenceService) {}

  @Get()
  @Endpoint({ summary: 'What an API offers, for those who call it, by the contract of the draft', answer: ReferenceView, errors: [404] })
  view(@Param('id') id: string): Promise<ReferenceView> {
    return this.reference.view(id);
  }

  @Get('operation')
  @Endpoint({ summary: 'One operation, for those who call it', answer: ReferenceOperationView, errors: [404] })
  operation(@Param('id') id: string, @Query('of') of: unknown): Promise<ReferenceOperationView> {
    if (typeof of !== 'string') throw fieldProblem('/of', 'Name one operation by its id');
    return this.reference.operation(id, of);
  }
}
