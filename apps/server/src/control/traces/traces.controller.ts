import { Body, Controller, Get, Param, Patch, Query } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import { RetentionDto, TracePage, TraceQuery, TraceView } from '@virga/protocol';
import { RecordService } from '../../record/record.service.js';
import { Endpoint } from '../../http/endpoint.js';
import { TracesService } from './traces.service.js';

@ApiTags('traces')
@Controller('control/v1')
export class TracesController {
  constructor(
    private readonly traces: TracesService,
    private readonly records: RecordService,
  ) {}

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

  @Get('settings/retention')
  @Endpoint({ summary: 'How long traces are kept', answer: RetentionDto })
  async retention(): Promise<RetentionDto> {
    return { ...(await this.records.retention()) };
  }

  @Patch('settings/retention')
  @Endpoint({ summary: 'Change how long traces are kept', body: RetentionDto, answer: RetentionDto })
  async setRetention(@Body() change: RetentionDto): Promise<RetentionDto> {
    const given = Object.fromEntries(Object.entries(change).filter(([, value]) => value !== undefined));
    return { ...(await this.records.setRetention(given)) };
  }
}
