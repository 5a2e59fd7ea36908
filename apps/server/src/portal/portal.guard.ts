import { type CanActivate, createParamDecorator, type ExecutionContext, Injectable, SetMetadata } from '@nestjs/common';
import { Reflector } from '@nestjs/core';
import type { OwnTeam, PortalSession } from '@virga/protocol';
import type { Request } from 'express';
import { notFound, problem } from '../http/problems.js';
import { cookieOf } from '../session/access.guard.js';
import type { TeamAuthor } from '../session/author.js';
import { sameText } from '../session/session.service.js';
import { AccountsService } from './accounts.service.js';
import { PortalSettingsService } from './portal-settings.service.js';

/** Named apart from the console's, and sent to the portal's own API only: cookies do not tell ports apart (RFC 6265 section 8.5). */
export const PORTAL_COOKIE = 'virga_portal';
export const COOKIE_PATH = '/portal/v1';

export type PortalRequest = Request & { portal?: { readonly session: PortalSession | null; readonly sessionId: string | null } };

const OPEN = 'virga:portal-open';
const WAITS = 'virga:portal-waits';

/** Marks an endpoint that needs nobody to be signed in. */
export const OpenToAll = () => SetMetadata(OPEN, true);
/** Marks an endpoint that an account may use which waits for approval. */
export const WhileWaiting = () => SetMetadata(WAITS, true);

function portalOf(context: ExecutionContext): NonNullable<PortalRequest['portal']> {
  const { portal } = context.switchToHttp().getRequest<PortalRequest>();
  if (!portal) throw new Error('invariant: the guard ran');
  return portal;
}

/** Who is signed in; null for nobody, where that is allowed. */
export const SignedIn = createParamDecorator((_data: unknown, context: ExecutionContext): PortalSession | null => portalOf(context).session);

/** The secret id of the session that is open; null for none. */
export const SessionId = createParamDecorator((_data: unknown, context: ExecutionContext): string | null => portalOf(context).sessionId);

/** The team that the address names and who acts for it. */
export interface Acting {
  readonly team: OwnTeam;
  readonly session: PortalSession;
  readonly author: TeamAuthor;
}

/** The team of the address, for who is of it. For everybody else there is no such team. */
export const ActingFor = createParamDecorator((needs: 'owner' | 'member', context: ExecutionContext): Acting => {
  const { session } = portalOf(context);
  const { teamId } = context.switchToHttp().getRequest<Request<{ teamId?: string }>>().params;
  const team = session?.teams.find(({ id }) => id === teamId);
  if (!session || !team) throw notFound('team');
  if (needs === 'owner' && team.role !== 'owner') throw problem(403, 'This is for owners of the team', 'Ask one of them.');
  return { team, session, author: { name: session.shownName, teamId: team.id } };
});

/**
 * Lets in who is signed in to the portal. What changes something comes from the portal's own pages, carries the session's CSRF
 * token, and is of an account that was approved; an operator who looks changes nothing.
 */
@Injectable()
export class PortalGuard implements CanActivate {
  constructor(
    private readonly reflector: Reflector,
    private readonly accounts: AccountsService,
    private readonly settings: PortalSettingsService,
  ) {}

  async canActivate(context: ExecutionContext): Promise<boolean> {
    const request = context.switchToHttp().getRequest<PortalRequest>();
    const marked = (name: string): boolean => this.reflector.getAllAndOverride<boolean>(name, [context.getHandler(), context.getClass()]) === true;
    const changes = !['GET', 'HEAD', 'OPTIONS'].includes(request.method);
    if (changes) this.#refuseOthers(request);
    const sessionId = cookieOf(request, PORTAL_COOKIE);
    const session = sessionId === null ? null : await this.accounts.find(sessionId);
    request.portal = { session, sessionId: session ? sessionId : null };
    if (!session && !marked(OPEN)) throw problem(401, 'Sign in first');
    if (!session) return true;
    if (changes && session.looks && !marked(OPEN) && !marked(WAITS))
      throw problem(403, 'You only look', 'Nothing can be changed while you look as somebody else.');
    if (changes && !marked(OPEN) && !sameText(request.headers['x-csrf-token']?.toString() ?? '', session.csrfToken))
      throw problem(403, 'The CSRF token is missing or wrong', 'Reload the page.');
    if (session.state !== 'active' && !marked(OPEN) && !marked(WAITS))
      throw problem(403, 'Your account waits for approval', 'You can go on when the operator has approved it.');
    return true;
  }

  /** A page of somebody else cannot even sign its visitors in or out. */
  #refuseOthers({ headers }: Request): void {
    const { origin } = headers;
    const site = headers['sec-fetch-site'];
    const foreign = (origin !== undefined && origin !== this.settings.url) || (site !== undefined && site !== 'same-origin' && site !== 'none');
    if (foreign) throw problem(403, 'This came from another page', 'Open the portal itself.');
  }
}
