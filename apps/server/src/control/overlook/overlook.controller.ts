import { Controller, Get, Query } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import { AttentionView, FallQuery, FallView } from '@virga/protocol';
import { Endpoint } from '../../http/endpoint.js';
import { AttentionService } from './attention.service.js';
import { FallService } from './fall.service.js';

@ApiTags('overlook')
@Controller('control/v1/overlook')
export class OverlookController {
  constructor(
    private readonly falls: FallService,
    private readonly attention: AttentionService,
  ) {}

  @Get('fall')
  @Endpoint({ summary: 'How requests thinned out from layer to layer', answer: FallView })
  fall(@Query() query: FallQuery): Promise<FallView> {
    return this.falls.view(query.minutes ?? 60);
  }

  @Get('attention')
  @Endpoint({ summary: 'What needs attention', answer: AttentionView })
  async items(): Promise<AttentionView> {
    return { items: await this.attention.items() };
  }
}
