import { Body, Controller, Get, Post } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import { PastedInput, PastedView, type ReachFacts, type ReachKeys } from '@virga/protocol';
import { Endpoint } from '../../http/endpoint.js';
import { ReachService } from './reach.service.js';

@ApiTags('reach')
@Controller('control/v1/reach')
export class ReachController {
  constructor(private readonly reach: ReachService) {}

  @Get('facts')
  @Endpoint({ summary: 'Clients, tables, revocations and personas, as far as decisions look at them; no secrets', status: 200 })
  facts(): Promise<ReachFacts> {
    return this.reach.facts();
  }

  @Get('keys')
  @Endpoint({ summary: 'Keys that the draft’s providers publish', status: 200 })
  keys(): Promise<ReachKeys> {
    return this.reach.keys();
  }

  @Post('pasted')
  @Endpoint({ summary: 'What a pasted token or key is; nothing of it is kept', body: PastedInput, answer: PastedView })
  pasted(@Body() { text }: PastedInput): Promise<PastedView> {
    return this.reach.pasted(text);
  }
}
