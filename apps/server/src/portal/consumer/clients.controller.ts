import { Body, Controller, Delete, Get, HttpCode, Param, Patch, Post, Put, Query } from '@nestjs/common';
import {
  ClientUseQuery,
  OwnClientInput,
  OwnClientPatch,
  OwnKeyInput,
  PlanAsked,
  RedirectsInput,
  RegisteredClientInput,
  RotationInput,
  type ClientStanding,
  type ClientUseView,
  type OwnClient,
  type OwnClients,
  type OwnSecretMade,
} from '@virga/protocol';
import { OwnClientsService } from '../own-clients.service.js';
import { ActingFor, type Acting } from '../portal.guard.js';
import { RegistrationsService } from '../registrations.service.js';

/** Clients of one's team: keys, plans, use. Of another team there are none. */
@Controller('portal/v1/teams/:teamId/clients')
export class OwnClientsController {
  constructor(
    private readonly clients: OwnClientsService,
    private readonly registrations: RegistrationsService,
  ) {}

  @Get()
  async list(@ActingFor('member') { team }: Acting): Promise<OwnClients> {
    return { items: await this.clients.list(team.id) };
  }

  @Post()
  add(@Body() input: OwnClientInput, @ActingFor('member') acting: Acting): Promise<OwnClient> {
    return this.clients.add(input, acting);
  }

  @Get(':id')
  view(@Param('id') id: string, @ActingFor('member') { team }: Acting): Promise<OwnClient> {
    return this.clients.view(team.id, id);
  }

  @Patch(':id')
  change(@Param('id') id: string, @Body() patch: OwnClientPatch, @ActingFor('member') acting: Acting): Promise<OwnClient> {
    return this.clients.change(id, patch, acting);
  }

  @Delete(':id')
  @HttpCode(204)
  async remove(@Param('id') id: string, @ActingFor('member') acting: Acting): Promise<void> {
    await this.clients.remove(id, acting);
  }

  @Post(':id/keys')
  makeKey(@Param('id') id: string, @Body() input: OwnKeyInput, @ActingFor('member') acting: Acting): Promise<OwnSecretMade> {
    return this.clients.makeKey(id, input, acting);
  }

  @Post(':id/keys/:credentialId/rotation')
  rotate(
    @Param('id') id: string,
    @Param('credentialId') credentialId: string,
    @Body() input: RotationInput,
    @ActingFor('member') acting: Acting,
  ): Promise<OwnSecretMade> {
    return this.clients.rotateKey(id, credentialId, input, acting);
  }

  @Delete(':id/credentials/:credentialId')
  revoke(@Param('id') id: string, @Param('credentialId') credentialId: string, @ActingFor('member') acting: Acting): Promise<OwnClient> {
    return this.clients.revoke(id, credentialId, acting);
  }

  @Post(':id/registrations')
  register(@Param('id') id: string, @Body() input: RegisteredClientInput, @ActingFor('member') acting: Acting): Promise<OwnSecretMade> {
    return this.registrations.register(id, input, acting);
  }

  @Put(':id/credentials/:credentialId/redirects')
  redirects(
    @Param('id') id: string,
    @Param('credentialId') credentialId: string,
    @Body() input: RedirectsInput,
    @ActingFor('member') acting: Acting,
  ): Promise<OwnClient> {
    return this.registrations.setRedirects(id, credentialId, input, acting);
  }

  @Post(':id/plans')
  ask(@Param('id') id: string, @Body() input: PlanAsked, @ActingFor('member') acting: Acting): Promise<OwnClient> {
    return this.clients.ask(id, input, acting);
  }

  @Delete(':id/plans/:subscriptionId')
  giveBack(@Param('id') id: string, @Param('subscriptionId') subscriptionId: string, @ActingFor('member') acting: Acting): Promise<OwnClient> {
    return this.clients.giveBack(id, subscriptionId, acting);
  }

  @Get(':id/use')
  use(@Param('id') id: string, @Query() { days = 1 }: ClientUseQuery, @ActingFor('member') acting: Acting): Promise<ClientUseView> {
    return this.clients.use(acting, id, days);
  }

  @Get(':id/limits')
  limits(@Param('id') id: string, @ActingFor('member') acting: Acting): Promise<ClientStanding> {
    return this.clients.standing(acting, id);
  }
}
