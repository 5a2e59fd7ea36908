import { Body, Controller, Delete, Get, Param, Patch, Post, Put, Query } from '@nestjs/common';
import { ApiTags } from '@nestjs/swagger';
import {
  AccountStatePatch,
  ClientTeamInput,
  ClientView,
  InvitationMade,
  LookAs,
  LookLink,
  MemberPatch,
  NewInvitation,
  NoticeInput,
  NoticeList,
  NoticeView,
  PageInput,
  PageList,
  PageView,
  PortalAccount,
  PortalAccounts,
  PortalLog,
  PortalLogQuery,
  PortalQuery,
  PortalRequests,
  PortalSettingsPatch,
  PortalSettingsView,
  PortalTeam,
  PortalTeams,
  ShownApi,
  ShownApiInput,
  ShownApis,
  TeamInput,
} from '@virga/protocol';
import { ClientsService } from '../../control/clients/clients.service.js';
import { SubscriptionsService } from '../../control/plans/subscriptions.service.js';
import { Endpoint } from '../../http/endpoint.js';
import { CalledBy, type Caller } from '../../session/access.guard.js';
import { readPortalLog } from '../../store/portal-store.js';
import { AccountsService } from '../accounts.service.js';
import { Looks } from '../looks.js';
import { PagesService } from '../pages.service.js';
import { PortalSettingsService } from '../portal-settings.service.js';
import { TeamsService } from '../teams.service.js';

const LOG_PAGE = 100;

/** The portal as its operator keeps it. */
@ApiTags('portal')
@Controller('control/v1/portal')
export class PortalController {
  constructor(
    private readonly settings: PortalSettingsService,
    private readonly people: AccountsService,
    private readonly teams: TeamsService,
    private readonly subscriptions: SubscriptionsService,
    private readonly clients: ClientsService,
    private readonly pages: PagesService,
    private readonly looks: Looks,
  ) {}

  @Get('settings')
  @Endpoint({ summary: 'How the portal looks and who comes in', answer: PortalSettingsView })
  view(): Promise<PortalSettingsView> {
    return this.settings.view();
  }

  @Patch('settings')
  @Endpoint({ summary: 'Change how the portal looks and who comes in; acts at once', body: PortalSettingsPatch, answer: PortalSettingsView })
  change(@Body() patch: PortalSettingsPatch, @CalledBy() { name }: Caller): Promise<PortalSettingsView> {
    return this.settings.change(patch, name);
  }

  @Get('apis')
  @Endpoint({ summary: 'Who sees which API in the portal', answer: ShownApis })
  async apis(): Promise<ShownApis> {
    return { items: await this.settings.apis() };
  }

  @Put('apis/:id')
  @Endpoint({
    summary: 'Say who sees an API in the portal; acts at once. Who may call it, its rules say',
    body: ShownApiInput,
    answer: ShownApi,
    errors: [404],
  })
  show(@Param('id') id: string, @Body() input: ShownApiInput, @CalledBy() { name }: Caller): Promise<ShownApi> {
    return this.settings.show(id, input, name);
  }

  @Get('requests')
  @Endpoint({ summary: 'What waits for somebody to approve it', answer: PortalRequests })
  async requests(): Promise<PortalRequests> {
    const [accounts, { items }] = await Promise.all([this.teams.waiting(), this.subscriptions.page({ state: 'waiting', limit: 500 })]);
    return { accounts, subscriptions: items };
  }

  @Get('accounts')
  @Endpoint({ summary: 'Accounts of the portal, the newest first', answer: PortalAccounts })
  accounts(@Query() { text = '', offset = 0, limit }: PortalQuery): Promise<PortalAccounts> {
    return this.teams.accounts(text, offset, limit);
  }

  @Patch('accounts/:id')
  @Endpoint({ summary: 'Approve an account or switch it off; acts at once', body: AccountStatePatch, answer: PortalAccount, errors: [404] })
  setState(@Param('id') id: string, @Body() { state }: AccountStatePatch, @CalledBy() { name }: Caller): Promise<PortalAccount> {
    return this.teams.setState(id, state, name);
  }

  @Delete('accounts/:id')
  @Endpoint({ summary: 'Take an account away for good; acts at once', errors: [404] })
  async removeAccount(@Param('id') id: string, @CalledBy() { name }: Caller): Promise<void> {
    await this.people.remove(id, name);
  }

  @Post('accounts/:id/password')
  @Endpoint({ summary: 'Make a link by which the password of an account is chosen anew', answer: InvitationMade, status: 201, errors: [404, 409] })
  resetPassword(@Param('id') id: string, @CalledBy() { name }: Caller): Promise<InvitationMade> {
    return this.teams.resetPassword(id, name);
  }

  @Get('teams')
  @Endpoint({ summary: 'Teams of the portal, by name', answer: PortalTeams })
  list(@Query() { text = '', offset = 0, limit }: PortalQuery): Promise<PortalTeams> {
    return this.teams.list(text, offset, limit);
  }

  @Post('teams')
  @Endpoint({ summary: 'Make a team', body: TeamInput, answer: PortalTeam, status: 201 })
  addTeam(@Body() input: TeamInput, @CalledBy() { name }: Caller): Promise<PortalTeam> {
    return this.teams.add(input.name, null, name);
  }

  @Get('teams/:id')
  @Endpoint({ summary: 'One team: its people, open invitations and clients', answer: PortalTeam, errors: [404] })
  team(@Param('id') id: string): Promise<PortalTeam> {
    return this.teams.view(id);
  }

  @Delete('teams/:id')
  @Endpoint({ summary: 'Take a team away that has no client', errors: [404, 409] })
  async removeTeam(@Param('id') id: string, @CalledBy() { name }: Caller): Promise<void> {
    await this.teams.remove(id, name);
  }

  @Post('teams/:id/invitations')
  @Endpoint({ summary: 'Invite somebody to a team by a link that is good once', body: NewInvitation, answer: InvitationMade, status: 201, errors: [404, 409] })
  invite(@Param('id') id: string, @Body() input: NewInvitation, @CalledBy() { name }: Caller): Promise<InvitationMade> {
    return this.teams.invite(id, input, name);
  }

  @Delete('teams/:id/invitations/:invitationId')
  @Endpoint({ summary: 'Withdraw an invitation', errors: [404] })
  async withdraw(@Param('id') id: string, @Param('invitationId') invitationId: string, @CalledBy() { name }: Caller): Promise<void> {
    await this.teams.withdraw(id, invitationId, name);
  }

  @Patch('teams/:id/members/:accountId')
  @Endpoint({ summary: 'Make a member an owner, or the other way round', body: MemberPatch, errors: [404, 409] })
  async setRole(@Param('id') id: string, @Param('accountId') accountId: string, @Body() { role }: MemberPatch, @CalledBy() { name }: Caller): Promise<void> {
    await this.teams.setRole(id, accountId, role, name);
  }

  @Delete('teams/:id/members/:accountId')
  @Endpoint({ summary: 'Take somebody out of a team', errors: [404] })
  async takeOut(@Param('id') id: string, @Param('accountId') accountId: string, @CalledBy() { name }: Caller): Promise<void> {
    await this.teams.takeOut(id, accountId, name);
  }

  @Put('clients/:id/team')
  @Endpoint({ summary: 'Give a client to a team, or to none; acts at once', body: ClientTeamInput, answer: ClientView, errors: [404] })
  give(@Param('id') id: string, @Body() { teamId }: ClientTeamInput, @CalledBy() { name }: Caller): Promise<ClientView> {
    return this.clients.give(id, teamId ?? null, name);
  }

  @Post('looks')
  @Endpoint({ summary: 'Look at the portal as a team sees it, by a link that is good once', body: LookAs, answer: LookLink, status: 201, errors: [404] })
  async look(@Body() { teamId }: LookAs): Promise<LookLink> {
    return { url: await this.looks.begin(teamId ?? null) };
  }

  @Get('pages')
  @Endpoint({ summary: 'Pages of the operator', answer: PageList })
  async pageList(): Promise<PageList> {
    return { items: await this.pages.pages() };
  }

  @Post('pages')
  @Endpoint({ summary: 'Add a page, in Markdown', body: PageInput, answer: PageView, status: 201, errors: [409] })
  addPage(@Body() input: PageInput, @CalledBy() { name }: Caller): Promise<PageView> {
    return this.pages.add(input, name);
  }

  @Put('pages/:slug')
  @Endpoint({ summary: 'Set a page, whole', body: PageInput, answer: PageView, errors: [404] })
  setPage(@Param('slug') slug: string, @Body() input: PageInput, @CalledBy() { name }: Caller): Promise<PageView> {
    return this.pages.set(slug, input, name);
  }

  @Delete('pages/:slug')
  @Endpoint({ summary: 'Take a page away', errors: [404] })
  async removePage(@Param('slug') slug: string, @CalledBy() { name }: Caller): Promise<void> {
    await this.pages.remove(slug, name);
  }

  @Get('notices')
  @Endpoint({ summary: 'Notices, the newest first', answer: NoticeList })
  async notices(): Promise<NoticeList> {
    return { items: await this.pages.notices() };
  }

  @Post('notices')
  @Endpoint({ summary: 'Add a notice', body: NoticeInput, answer: NoticeView, status: 201, errors: [409] })
  addNotice(@Body() input: NoticeInput, @CalledBy() { name }: Caller): Promise<NoticeView> {
    return this.pages.addNotice(input, name);
  }

  @Delete('notices/:id')
  @Endpoint({ summary: 'Take a notice away', errors: [404] })
  async removeNotice(@Param('id') id: string, @CalledBy() { name }: Caller): Promise<void> {
    await this.pages.removeNotice(id, name);
  }

  @Get('log')
  @Endpoint({ summary: 'What was done in the portal and about it, the newest first', answer: PortalLog })
  log(@Query() { before, only }: PortalLogQuery): Promise<PortalLog> {
    return readPortalLog(before, only === 'decisions', LOG_PAGE);
  }
}
