import { Injectable } from '@nestjs/common';
import type { ProviderRule } from '@virga/core';
import { guardedFetchFunction } from '@virga/outbound';
import type { GoTo, ProviderSignInInput } from '@virga/protocol';
import { randomBytes } from 'node:crypto';
import * as oauth from 'openid-client';
import { ReleasesService } from '../control/releases/releases.service.js';
import { fieldProblem, problem } from '../http/problems.js';
import { AccountsService, sha256, type SignedIn } from './accounts.service.js';
import { PortalSettingsService, type KeptProvider } from './portal-settings.service.js';

/** How long one may take at the provider's page, and how many do so at one time. */
const WAIT_MS = 600_000;
const MOST = 1000;

interface Running {
  readonly client: oauth.Configuration;
  readonly issuer: string;
  readonly verifier: string;
  readonly nonce: string;
  readonly invitation: string | null;
  /** Of the cookie that the browser got: only the browser that began it ends it (RFC 9700 section 4.7). */
  readonly browser: string;
  readonly begunAt: number;
}

/** Sign-in to the portal at a trusted provider: OpenID Connect Core 1.0, code flow with PKCE (RFC 7636). */
@Injectable()
export class ProviderSignInService {
  readonly #running = new Map<string, Running>();

  constructor(
    private readonly settings: PortalSettingsService,
    private readonly releases: ReleasesService,
    private readonly accounts: AccountsService,
  ) {}

  async begin({ providerId, invitation }: ProviderSignInInput): Promise<GoTo & { readonly browser: string }> {
    const kept = (await this.settings.read()).providers.find((one) => one.providerId === providerId && one.signIn);
    const provider = this.releases.live?.document.providers.find(({ id }) => id === providerId);
    if (!kept || !provider) throw fieldProblem('/providerId', 'One cannot sign in there');
    if (invitation !== undefined) await this.accounts.readInvitation(invitation);
    const client = await this.#discover(provider, kept);
    const [verifier, nonce, state, browser] = [oauth.randomPKCECodeVerifier(), oauth.randomNonce(), oauth.randomState(), randomBytes(24).toString('base64url')];
    this.#keep(state, { client, issuer: provider.issuer, verifier, nonce, invitation: invitation ?? null, browser: sha256(browser), begunAt: Date.now() });
    const goTo = oauth.buildAuthorizationUrl(client, {
      redirect_uri: this.settings.redirectUris.signIn,
      scope: [...new Set(['openid', ...kept.scopes])].join(' '),
      state,
      nonce,
      code_challenge: await oauth.calculatePKCECodeChallenge(verifier),
      code_challenge_method: 'S256',
    }).href;
    if (!/^https?:/.test(goTo)) throw problem(502, 'The provider did not answer', 'Its page has no address that a browser opens.');
    return { goTo, browser };
  }

  /** @param browser what the browser's own cookie holds; null for none */
  async finish(query: string, browser: string | null): Promise<SignedIn> {
    const state = new URLSearchParams(query).get('state') ?? '';
    const running = this.#running.get(state);
    // Good once, whatever comes of it.
    this.#running.delete(state);
    const mine = running !== undefined && browser !== null && sha256(browser) === running.browser && Date.now() - running.begunAt <= WAIT_MS;
    if (!mine)
      throw problem(422, 'This sign-in is not known', 'It was not begun in this browser, was used already, or took longer than 10 minutes. Begin again.');
    const { client, verifier, nonce, issuer, invitation } = running;
    let claims: oauth.IDToken | undefined;
    try {
      const url = new URL(`${this.settings.redirectUris.signIn}?${query}`);
      const answer = await oauth.authorizationCodeGrant(client, url, {
        pkceCodeVerifier: verifier,
        expectedState: state,
        expectedNonce: nonce,
        idTokenExpected: true,
      });
      claims = answer.claims();
    } catch (error) {
      throw problem(502, 'The sign-in failed', `The provider did not vouch for you: ${(error as Error).message}`.slice(0, 300));
    }
    if (!claims || claims.iss !== issuer || claims.sub === '') throw problem(502, 'The sign-in failed', 'The provider did not say who you are.');
    return this.accounts.signInBy({ issuer, subject: claims.sub, shownName: shownNameOf(claims) }, invitation);
  }

  async #discover(provider: ProviderRule, kept: KeptProvider): Promise<oauth.Configuration> {
    const secret = this.settings.secretOf(kept);
    const options: oauth.DiscoveryRequestOptions = {
      execute: provider.allowLoopbackHttp ? [oauth.allowInsecureRequests] : [],
      [oauth.customFetch]: guardedFetchFunction(provider),
    };
    try {
      return await oauth.discovery(
        new URL(provider.issuer),
        kept.clientId,
        secret || undefined,
        secret ? oauth.ClientSecretBasic(secret) : oauth.None(),
        options,
      );
    } catch (error) {
      throw problem(502, 'The provider did not answer', (error as Error).message.slice(0, 300));
    }
  }

  #keep(state: string, one: Running): void {
    for (const [key, { begunAt }] of this.#running) if (Date.now() - begunAt > WAIT_MS || this.#running.size >= MOST) this.#running.delete(key);
    this.#running.set(state, one);
  }
}

/** What somebody is called, for people to read. It identifies nobody. */
function shownNameOf(claims: oauth.IDToken): string {
  for (const said of [claims['name'], claims['preferred_username'], claims['email'], claims.sub]) {
    const text =
      typeof said === 'string'
        ? said
            .replace(/[\p{Cc}\p{Zl}\p{Zp}\p{Cf}]/gu, ' ')
            .trim()
            .slice(0, 100)
        : '';
    if (text !== '') return text;
  }
  return 'somebody';
}
