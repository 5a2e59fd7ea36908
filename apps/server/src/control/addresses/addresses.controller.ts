import { Body, Controller, Get, HttpCode, Patch, Post, Req } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import { AddressAnswer, AddressesPatch, AddressesView, AddressQuestion } from '@virga/protocol';
import type { Request } from 'express';
import { Endpoint } from '../../http/endpoint.js';
import { Edited, type EditedBy } from '../../session/edited-by.js';
import { AddressesService } from './addresses.service.js';

const peerOf = (request: Request): string => request.socket.remoteAddress ?? '';

@ApiTags('addresses')
@Controller('control/v1/addresses')
export class AddressesController {
  constructor(private readonly addresses: AddressesService) {}

  @Get()
  @Endpoint({ summary: 'Named networks, the gateway’s fence and trusted hops, in the draft', answer: AddressesView })
  view(@Req() request: Request): Promise<AddressesView> {
    return this.addresses.view(peerOf(request));
  }

  @Patch()
  @Endpoint({ summary: 'Set networks, fence or trusted hops in the draft', body: AddressesPatch, answer: AddressesView, errors: [412] })
  async change(@Body() patch: AddressesPatch, @Edited() edited: EditedBy, @Req() request: Request): Promise<AddressesView> {
    await this.addresses.change(patch, edited);
    return this.addresses.view(peerOf(request));
  }

  @Post('question')
  @HttpCode(200)
  @Endpoint({ summary: 'Would this address pass? What each rule of the draft says of it', body: AddressQuestion, answer: AddressAnswer })
  ask(@Body() question: AddressQuestion): AddressAnswer {
    return this.addresses.ask(question);
  }
}
