import { Body, Controller, Get, Param, Patch } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import { ClientStanding, LimitsPatch, LimitsView } from '@virga/protocol';
import { Endpoint } from '../../http/endpoint.js';
import { Edited, type EditedBy } from '../../session/edited-by.js';
import { LimitsService } from './limits.service.js';

@ApiTags('limits')
@Controller('control/v1')
export class LimitsController {
  constructor(private readonly limits: LimitsService) {}

  @Get('limits')
  @Endpoint({ summary: 'Limits of the gateway as a whole, in the draft', answer: LimitsView })
  view(): LimitsView {
    return this.limits.view();
  }

  @Patch('limits')
  @Endpoint({
    summary: 'Set limits of the gateway, what holds up guessing, or how is counted, in the draft',
    body: LimitsPatch,
    answer: LimitsView,
    errors: [412],
  })
  change(@Body() patch: LimitsPatch, @Edited() edited: EditedBy): Promise<LimitsView> {
    return this.limits.change(patch, edited);
  }

  @Get('clients/:id/limits')
  @Endpoint({ summary: 'How the limits of a client stand now, as nodes say', answer: ClientStanding, errors: [404] })
  ofClient(@Param('id') id: string): Promise<ClientStanding> {
    return this.limits.ofClient(id);
  }
}
