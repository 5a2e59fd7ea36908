import { Body, Controller, Get, HttpCode, Patch, Post } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import { ConditionScopeView, ConditionsPatch, ConditionSubject, ConditionsView } from '@virga/protocol';
import { Endpoint } from '../../http/endpoint.js';
import { Edited, type EditedBy } from '../../session/edited-by.js';
import { ConditionsService } from './conditions.service.js';

@ApiTags('conditions')
@Controller('control/v1/conditions')
export class ConditionsController {
  constructor(private readonly conditions: ConditionsService) {}

  @Get()
  @Endpoint({ summary: 'Conditions that rules share, in the draft', answer: ConditionsView })
  view(): Promise<ConditionsView> {
    return this.conditions.view();
  }

  @Patch()
  @Endpoint({ summary: 'Set the conditions that rules share, in the draft', body: ConditionsPatch, answer: ConditionsView, errors: [412] })
  change(@Body() patch: ConditionsPatch, @Edited() edited: EditedBy): Promise<ConditionsView> {
    return this.conditions.change(patch, edited);
  }

  @Post('scope')
  @HttpCode(200)
  @Endpoint({ summary: 'What a condition of an API or its operations can look at, by the draft', body: ConditionSubject, answer: ConditionScopeView })
  scope(@Body() subject: ConditionSubject): Promise<ConditionScopeView> {
    return this.conditions.scope(subject);
  }
}
