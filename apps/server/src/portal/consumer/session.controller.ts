import { Body, Controller, Delete, Get, Header, HttpCode, HttpException, Inject, Patch, Post, Req, Res } from '@nestjs/common';
import {
  AccountPatch,
  AccountRemoval,
  GoTo,
  InvitationAccount,
  InvitationInput,
  InvitationView,
  LookInput,
  NewPasswordInput,
  PortalSignInInput,
  ProviderSignInInput,
  RegistrationInput,
  type PortalSession,
  type PortalSite,
  type ProblemDocument,
} from '@virga/protocol';
import type { CookieOptions, Request, Response } from 'express';
import { SETTINGS, type ServerSettings } from '../../config/settings.js';
import { problem } from '../../http/problems.js';
import { cookieOf } from '../../session/access.guard.js';
import { SignInBudget } from '../../session/sign-in-budget.js';
import { AccountsService, type SignedIn as Opened } from '../accounts.service.js';
import { Looks } from '../looks.js';
import { PagesService } from '../pages.service.js';
import { portalPage } from '../portal-page.js';
import { PortalSettingsService } from '../portal-settings.service.js';
import { COOKIE_PATH, OpenToAll, PORTAL_COOKIE, SessionId, SignedIn, WhileWaiting } from '../portal.guard.js';
import { ProviderSignInService } from '../provider-sign-in.service.js';

/** Of the browser that began a sign-in at a provider. It has to come along from the provider's page. */
const FLOW_COOKIE = 'virga_portal_sign_in';
const FLOW_MS = 600_000;
/** Attempts to sign in at one time: each takes a while of a core, by design. */
const CHECKS_AT_ONCE = 3;

/** Who one is: the first thing that the portal shows, signing in and out, new accounts and invitations. */
@Controller('portal/v1')
export class PortalSessionController {
  readonly #byAddress = new SignInBudget();
  readonly #byAccount = new SignInBudget({ burst: 10, everyMs: 10_000, addresses: 10_000 });
  #checking = 0;

  constructor(
    private readonly accounts: AccountsService,
    private readonly providers: ProviderSignInService,
    private readonly looks: Looks,
    private readonly pages: PagesService,
    private readonly portal: PortalSettingsService,
    @Inject(SETTINGS) private readonly settings: ServerSettings,
  ) {}

  @Get('site')
  @OpenToAll()
  async site(@SignedIn() session: PortalSession | null): Promise<PortalSite> {
    const { name, mark, colour, welcome, contact, registration, providers: kept } = await this.portal.read();
    const providers = kept.filter(({ providerId }) => this.portal.isLive(providerId));
    return {
      name,
      mark,
      colour,
      welcome,
      contact,
      registration,
      providers: providers.filter(({ signIn }) => signIn).map(({ providerId, label }) => ({ id: providerId, label })),
      registers: session?.state === 'active' ? providers.filter((one) => one.registration).map(({ providerId, label }) => ({ id: providerId, label })) : [],
      notices: await this.pages.standing(Date.now()),
      pages: (await this.pages.readable(session)).map(({ slug, title }) => ({ slug, title })),
      session,
    };
  }

  @Post('session')
  @HttpCode(204)
  @OpenToAll()
  async signIn(@Body() { name, password }: PortalSignInInput, @Req() request: Request, @Res({ passthrough: true }) response: Response): Promise<void> {
    const opened = await this.#guarded(request, response, null, () => this.accounts.signIn(name, password));
    if (!opened) throw problem(401, 'Name or password is wrong');
    this.#open(response, opened);
  }

  @Delete('session')
  @HttpCode(204)
  @WhileWaiting()
  async signOut(@SessionId() id: string | null, @Res({ passthrough: true }) response: Response): Promise<void> {
    if (id !== null) await this.accounts.signOut(id);
    response.clearCookie(PORTAL_COOKIE, this.#cookie('strict'));
  }

  @Patch('account')
  @HttpCode(204)
  async change(
    @Body() patch: AccountPatch,
    @SignedIn() session: PortalSession,
    @SessionId() id: string,
    @Req() request: Request,
    @Res({ passthrough: true }) response: Response,
  ): Promise<void> {
    await this.#guarded(request, response, session.accountId, () => this.accounts.changeOwn(session.accountId, patch, id));
  }

  @Post('account/removal')
  @HttpCode(204)
  @WhileWaiting()
  async remove(
    @Body() { password = '' }: AccountRemoval,
    @SignedIn() session: PortalSession,
    @Req() request: Request,
    @Res({ passthrough: true }) response: Response,
  ): Promise<void> {
    if (session.looks) throw problem(403, 'You only look');
    await this.#guarded(request, response, session.accountId, () => this.accounts.removeOwn(session.accountId, password));
    response.clearCookie(PORTAL_COOKIE, this.#cookie('strict'));
  }

  @Post('registrations')
  @HttpCode(204)
  @OpenToAll()
  async register(@Body() input: RegistrationInput, @Req() request: Request, @Res({ passthrough: true }) response: Response): Promise<void> {
    this.#open(response, await this.#guarded(request, response, null, () => this.accounts.register(input)));
  }

  @Post('invitations/read')
  @HttpCode(200)
  @OpenToAll()
  readInvitation(@Body() { token }: InvitationInput, @Req() request: Request, @Res({ passthrough: true }) response: Response): Promise<InvitationView> {
    return this.#guarded(request, response, null, () => this.accounts.readInvitation(token));
  }

  @Post('invitations/account')
  @HttpCode(204)
  @OpenToAll()
  async acceptAnew(@Body() input: InvitationAccount, @Req() request: Request, @Res({ passthrough: true }) response: Response): Promise<void> {
    this.#open(response, await this.#guarded(request, response, null, () => this.accounts.acceptAnew(input)));
  }

  @Post('invitations/own-account')
  @HttpCode(204)
  @WhileWaiting()
  async accept(@Body() { token }: InvitationInput, @SignedIn() session: PortalSession): Promise<void> {
    if (session.looks) throw problem(403, 'You only look');
    await this.accounts.accept(token, session.accountId);
  }

  @Post('invitations/password')
  @HttpCode(204)
  @OpenToAll()
  async choosePassword(@Body() input: NewPasswordInput, @Req() request: Request, @Res({ passthrough: true }) response: Response): Promise<void> {
    this.#open(response, await this.#guarded(request, response, null, () => this.accounts.choosePassword(input)));
  }

  @Post('look')
  @HttpCode(204)
  @OpenToAll()
  async look(@Body() { code }: LookInput, @Res({ passthrough: true }) response: Response): Promise<void> {
    this.#open(response, await this.looks.open(code));
  }

  @Post('sign-in')
  @HttpCode(200)
  @OpenToAll()
  async begin(@Body() input: ProviderSignInInput, @Req() request: Request, @Res({ passthrough: true }) response: Response): Promise<GoTo> {
    const { goTo, browser } = await this.#guarded(request, response, null, () => this.providers.begin(input));
    response.cookie(FLOW_COOKIE, browser, { ...this.#cookie('lax'), maxAge: FLOW_MS });
    return { goTo };
  }

  /** Reached by a redirect of the provider. Its page goes on by itself, so that the strict cookie of the session comes along. */
  @Get('sign-in/callback')
  @OpenToAll()
  @Header('content-type', 'text/html; charset=utf-8')
  @Header('referrer-policy', 'no-referrer')
  async callback(@Req() request: Request, @Res({ passthrough: true }) response: Response): Promise<string> {
    response.clearCookie(FLOW_COOKIE, this.#cookie('lax'));
    try {
      this.#open(response, await this.providers.finish(request.url.split('?')[1] ?? '', cookieOf(request, FLOW_COOKIE)));
      return portalPage('You are signed in', 'The portal opens.', '/');
    } catch (error) {
      if (!(error instanceof HttpException)) throw error;
      const { title, detail } = error.getResponse() as ProblemDocument;
      response.status(error.getStatus());
      return portalPage(title, detail ?? '', null);
    }
  }

  /**
   * Counts an attempt by where it comes from, before anything is waited for. Not by whose name it uses: nobody locks another one
   * out by trying that name.
   * @param account of the session that tries, where there is one
   */
  async #guarded<T>(request: Request, response: Response, account: string | null, work: () => Promise<T>): Promise<T> {
    const now = Date.now();
    const from = request.ip ?? '';
    const waits = [
      this.#byAddress.take(from, now),
      ...(account === null ? [] : [this.#byAccount.take(account, now)]),
      this.#checking >= CHECKS_AT_ONCE ? 1000 : 0,
    ];
    const waitMs = Math.max(...waits);
    if (waitMs > 0) {
      response.set('retry-after', String(Math.ceil(waitMs / 1000)));
      throw problem(429, 'Too many attempts', `Try again in ${Math.ceil(waitMs / 1000)} s.`);
    }
    this.#checking++;
    try {
      const done = await work();
      if (done !== null) {
        this.#byAddress.giveBack(from);
        if (account !== null) this.#byAccount.giveBack(account);
      }
      return done;
    } finally {
      this.#checking--;
    }
  }

  #open(response: Response, { id, expiresAt }: Opened): void {
    response.cookie(PORTAL_COOKIE, id, { ...this.#cookie('strict'), expires: new Date(expiresAt) });
  }

  #cookie(sameSite: 'strict' | 'lax'): CookieOptions {
    return { httpOnly: true, sameSite, path: COOKIE_PATH, secure: this.settings.portalUrl.startsWith('https:') };
  }
}
