import { Injectable } from '@nestjs/common';
import type { OwnToken, OwnTokenInput, PortalSession } from '@virga/protocol';
import { GrantService } from '../control/bench/grant.service.js';
import { fieldProblem, notFound, problem } from '../http/problems.js';
import { SignInBudget } from '../session/sign-in-budget.js';
import { CatalogueService } from './catalogue.service.js';
import { PortalSettingsService } from './portal-settings.service.js';

/** Gets tokens for those who try a call: at providers that the operator opened, for an API that they see. */
@Injectable()
export class OwnTokensService {
  readonly #budget = new SignInBudget({ burst: 10, everyMs: 2000, addresses: 10_000 });

  constructor(
    private readonly grants: GrantService,
    private readonly catalogue: CatalogueService,
    private readonly settings: PortalSettingsService,
  ) {}

  async begin({ providerId, grant, clientId, clientSecret, scopes, apiId }: OwnTokenInput, session: PortalSession): Promise<OwnToken> {
    const waitMs = this.#budget.take(session.accountId, Date.now());
    if (waitMs > 0) throw problem(429, 'Too many tokens asked for', `Try again in ${Math.ceil(waitMs / 1000)} s.`);
    const { api, settings } = await this.catalogue.find(session, apiId);
    const open = settings.providers.some((one) => one.providerId === providerId);
    const ofApi = api.schemes.some(({ providers }) => providers.includes(providerId));
    if (!open || !ofApi) throw fieldProblem('/providerId', 'No tokens for this API can be asked for there');
    const input = {
      providerId,
      grant,
      clientId,
      scopes,
      ...(clientSecret ? { clientSecret } : {}),
      ...(api.resource.identifier === '' ? {} : { resource: api.resource.identifier }),
    };
    const { id } = await this.grants.begin(input, { redirectUri: this.settings.redirectUris.tokens, owner: session.accountId });
    return this.view(id, session);
  }

  /** Of whoever began it; for others there is none. What else the provider gave is not passed on. */
  view(id: string, session: PortalSession): OwnToken {
    const view = this.grants.view(id, session.accountId);
    if (session.looks) throw notFound('grant');
    const { state, says, accessToken, expiresAt } = view;
    const goTo = view.goTo !== null && /^https?:/.test(view.goTo) ? view.goTo : null;
    return { id, state, says, goTo, accessToken, expiresAt };
  }

  finish(parameters: string): Promise<string> {
    return this.grants.finish(parameters, this.settings.redirectUris.tokens);
  }
}
