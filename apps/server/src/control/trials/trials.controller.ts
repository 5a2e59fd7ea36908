import { Body, Controller, Delete, Get, Header, Param, Post } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import { writeJUnit } from '@virga/core';
import { SavedTrialInput, SavedTrialList, SavedTrialView, TrialReportView } from '@virga/protocol';
import { Endpoint } from '../../http/endpoint.js';
import { CalledBy, type Caller } from '../../session/access.guard.js';
import { TrialsService } from './trials.service.js';

@ApiTags('trials')
@Controller('control/v1/trials')
export class TrialsController {
  constructor(private readonly trials: TrialsService) {}

  @Post('run')
  @Endpoint({ summary: 'Try to get into every guarded operation of the draft, and all that was saved', answer: TrialReportView, errors: [503] })
  run(): Promise<TrialReportView> {
    return this.trials.run();
  }

  @Post('run.xml')
  @Endpoint({ summary: 'The same as JUnit XML', status: 200, errors: [503] })
  @Header('content-type', 'application/xml')
  async junit(): Promise<string> {
    return writeJUnit(await this.trials.report());
  }

  @Get('saved')
  @Endpoint({ summary: 'Requests that are tried before every release', answer: SavedTrialList })
  async saved(): Promise<SavedTrialList> {
    return { items: await this.trials.saved() };
  }

  @Post('saved')
  @Endpoint({
    summary: 'Save a recorded or composed request, to be tried before every release',
    body: SavedTrialInput,
    answer: SavedTrialView,
    status: 201,
    errors: [404, 409],
  })
  save(@Body() input: SavedTrialInput, @CalledBy() caller: Caller): Promise<SavedTrialView> {
    return this.trials.save(input, caller.name);
  }

  @Delete('saved/:id')
  @Endpoint({ summary: 'Take a saved trial away', errors: [404] })
  async forget(@Param('id') id: string): Promise<void> {
    await this.trials.forget(id);
  }
}
