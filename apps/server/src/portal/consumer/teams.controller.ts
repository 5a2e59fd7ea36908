import { Body, Controller, Delete, Get, HttpCode, Param, Patch, Post } from '@nestjs/common';
import { MemberPatch, NewInvitation, TeamInput, type InvitationMade, type PortalSession, type TeamView } from '@virga/protocol';
import { problem } from '../../http/problems.js';
import { ActingFor, SignedIn, type Acting } from '../portal.guard.js';
import { TeamsService } from '../teams.service.js';

const TEAMS_OF_ONE = 20;

/** One's own teams and who is of them. */
@Controller('portal/v1/teams')
export class OwnTeamsController {
  constructor(private readonly teams: TeamsService) {}

  @Post()
  async add(@Body() { name }: TeamInput, @SignedIn() session: PortalSession): Promise<{ readonly id: string }> {
    if (session.teams.length >= TEAMS_OF_ONE) throw problem(409, 'Too many teams', `One is of at most ${TEAMS_OF_ONE} teams.`);
    const { id } = await this.teams.add(name, session.accountId, `portal: ${session.shownName}`);
    return { id };
  }

  @Get(':teamId')
  async view(@ActingFor('member') { team, session }: Acting): Promise<TeamView> {
    const { people, invitations, madeAt } = await this.teams.view(team.id);
    return { ...team, madeAt, members: people, invitations: team.role === 'owner' && !session.looks ? invitations : [] };
  }

  @Post(':teamId/invitations')
  invite(@Body() input: NewInvitation, @ActingFor('owner') { team, author }: Acting): Promise<InvitationMade> {
    return this.teams.invite(team.id, input, author);
  }

  @Delete(':teamId/invitations/:id')
  @HttpCode(204)
  async withdraw(@Param('id') id: string, @ActingFor('owner') { team, author }: Acting): Promise<void> {
    await this.teams.withdraw(team.id, id, author);
  }

  @Patch(':teamId/members/:accountId')
  @HttpCode(204)
  async setRole(@Param('accountId') accountId: string, @Body() { role }: MemberPatch, @ActingFor('owner') { team, author }: Acting): Promise<void> {
    await this.teams.setRole(team.id, accountId, role, author);
  }

  /** Owners take others out; everybody takes themselves out. */
  @Delete(':teamId/members/:accountId')
  @HttpCode(204)
  async takeOut(@Param('accountId') accountId: string, @ActingFor('member') { team, author, session }: Acting): Promise<void> {
    if (team.role !== 'owner' && accountId !== session.accountId) throw problem(403, 'This is for owners of the team', 'Ask one of them.');
    await this.teams.takeOut(team.id, accountId, author);
  }
}
