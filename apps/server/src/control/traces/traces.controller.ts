import { Controller, Get, Param, Query } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import { TracePage, TraceQuery, TraceView } from '@virga/protocol';
import { Endpoint } from '../../http/endpoint.js';
import { TracesService } from './traces.service.js';

@ApiTags('traces')
@Controller('control/v1')
export class TracesController {
  constructor(private readonly traces: TracesService) {}

  @Get('traces')
  @Endpoint({ summary: 'Traces that meet every filter, newest first', answer: TracePage })
  page(@Query() query: TraceQuery): Promise<TracePage> {
    return this.traces.page(query);
  }

  @Get('traces/:id')
  @Endpoint({ summary: 'One trace, explained', answer: TraceView, errors: [404] })
  view(@Param('id') id: string): Promise<TraceView> {
    return this.traces.view(id);
  }
}
