import { Body, Controller, Delete, Get, Header, HttpCode, Param, Patch, Post, Query } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import {
  ClientChanged,
  ClientInput,
  ClientListInput,
  ClientListReport,
  ClientPage,
  ClientPatch,
  ClientQuery,
  ClientUseQuery,
  ClientUseView,
  ClientView,
  CredentialInput,
  CredentialMade,
  RotationInput,
} from '@virga/protocol';
import { Endpoint } from '../../http/endpoint.js';
import { CalledBy, type Caller } from '../../session/access.guard.js';
import { ClientListService } from './client-list.service.js';
import { ClientUseService } from './client-use.service.js';
import { ClientsService } from './clients.service.js';

@ApiTags('clients')
@Controller('control/v1/clients')
export class ClientsController {
  constructor(
    private readonly clients: ClientsService,
    private readonly list: ClientListService,
    private readonly uses: ClientUseService,
  ) {}

  @Get()
  @Endpoint({ summary: 'Clients, by name', answer: ClientPage })
  page(@Query() query: ClientQuery): Promise<ClientPage> {
    return this.clients.page(query);
  }

  @Post()
  @Endpoint({ summary: 'Add a client; acts at once', body: ClientInput, answer: ClientChanged, status: 201 })
  add(@Body() input: ClientInput, @CalledBy() caller: Caller): Promise<ClientChanged> {
    return this.clients.add(input, caller.name);
  }

  @Get('list.csv')
  @Header('content-type', 'text/csv; charset=utf-8')
  @Endpoint({ summary: 'All clients as CSV (RFC 4180)', status: 200 })
  csv(): Promise<string> {
    return this.list.give();
  }

  @Post('list')
  @HttpCode(200)
  @Endpoint({ summary: 'Take clients in from CSV, all of them or none, with a report line by line', body: ClientListInput, answer: ClientListReport })
  take(@Body() input: ClientListInput, @CalledBy() caller: Caller): Promise<ClientListReport> {
    return this.list.take(input, caller.name);
  }

  @Get(':id')
  @Endpoint({ summary: 'One client with its credentials', answer: ClientView, errors: [404] })
  view(@Param('id') id: string): Promise<ClientView> {
    return this.clients.view(id);
  }

  @Get(':id/use')
  @Endpoint({ summary: 'How much a client called, and what was refused to it', answer: ClientUseView, errors: [404] })
  use(@Param('id') id: string, @Query() query: ClientUseQuery): Promise<ClientUseView> {
    return this.uses.view(id, query.days ?? 1);
  }

  @Patch(':id')
  @Endpoint({ summary: 'Change a client, or switch it on or off; acts at once', body: ClientPatch, answer: ClientChanged, errors: [404] })
  change(@Param('id') id: string, @Body() patch: ClientPatch, @CalledBy() caller: Caller): Promise<ClientChanged> {
    return this.clients.change(id, patch, caller.name);
  }

  @Delete(':id')
  @Endpoint({ summary: 'Take a client away with its credentials; acts at once', errors: [404] })
  async remove(@Param('id') id: string, @CalledBy() caller: Caller): Promise<void> {
    await this.clients.remove(id, caller.name);
  }

  @Post(':id/credentials')
  @Endpoint({ summary: 'Make a credential; its secret is in this answer only', body: CredentialInput, answer: CredentialMade, status: 201, errors: [404, 409] })
  addCredential(@Param('id') id: string, @Body() input: CredentialInput, @CalledBy() caller: Caller): Promise<CredentialMade> {
    return this.clients.addCredential(id, input, caller.name);
  }

  @Post(':id/credentials/:credentialId/rotate')
  @Endpoint({
    summary: 'Make a key or a Basic secret that takes the place of another; both are accepted until the overlap is over',
    body: RotationInput,
    answer: CredentialMade,
    status: 201,
    errors: [404, 409],
  })
  rotate(
    @Param('id') id: string,
    @Param('credentialId') credentialId: string,
    @Body() input: RotationInput,
    @CalledBy() caller: Caller,
  ): Promise<CredentialMade> {
    return this.clients.rotate(id, credentialId, input, caller.name);
  }

  @Post(':id/credentials/:credentialId/revoke')
  @Endpoint({ summary: 'Refuse a credential from now on; acts at once', answer: ClientChanged, errors: [404] })
  revoke(@Param('id') id: string, @Param('credentialId') credentialId: string, @CalledBy() caller: Caller): Promise<ClientChanged> {
    return this.clients.revoke(id, credentialId, caller.name);
  }
}
