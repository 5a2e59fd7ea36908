import { Body, Controller, Post } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import { ProbeInput, ProbeView } from '@virga/protocol';
import { Endpoint } from '../../http/endpoint.js';
import { ProbeService } from './probe.service.js';

@ApiTags('probe')
@Controller('control/v1/probe')
export class ProbeController {
  constructor(private readonly probes: ProbeService) {}

  @Post()
  @Endpoint({ summary: 'Send a composed request to the draft or to the live gateway', body: ProbeInput, answer: ProbeView, errors: [409, 502, 503] })
  run(@Body() input: ProbeInput): Promise<ProbeView> {
    return this.probes.run(input);
  }
}
