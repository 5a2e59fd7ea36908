import { Inject, Injectable } from '@nestjs/common';
import type { ProviderRule } from '@virga/core';
import type { ExchangeView, GrantInput, GrantKind, GrantView, PkceView } from '@virga/protocol';
import { originAt } from '@virga/protocol/node';
import { randomBytes } from 'node:crypto';
import * as oauth from 'openid-client';
import { SETTINGS, type ServerSettings } from '../../config/settings.js';
import { fieldProblem, notFound, problem } from '../../http/problems.js';
import { ProvidersService } from '../providers/providers.service.js';
import { recordingFetch } from './http-exchange.js';

type Answer = oauth.TokenEndpointResponse & oauth.TokenEndpointResponseHelpers;

/** Where the provider's page sends the browser back to, and whose grant it is. */
export interface GrantHome {
  readonly redirectUri: string;
  /** Empty for operators. */
  readonly owner: string;
}

interface RunningGrant {
  readonly home: GrantHome;
  readonly view: GrantView;
  readonly client: oauth.Configuration;
  readonly input: GrantInput;
  readonly begunAt: number;
  readonly state: string;
  readonly nonce: string;
  readonly stop: AbortController;
}

/** How long a grant may wait for a person, and how many are held in memory. */
const WAIT_MS = 600_000;
const MAX_GRANTS = 50;
/** Of each user of the portal. */
const MAX_OF_OWNER = 5;

const WARNINGS: Readonly<Partial<Record<GrantKind, string>>> = {
  password:
    'The password grant gives the client the user’s password and knows no second factor. RFC 9700 section 2.4 forbids it; use it only for old providers.',
  implicit:
    'The implicit grant puts the token into an address, where history and logs keep it. RFC 9700 section 2.1.2 advises against it; use it only for old providers.',
};

/**
 * Carries out grants with trusted providers and shows every HTTP exchange. Tokens and secrets are held in memory for the
 * time of the grant only.
 */
@Injectable()
export class GrantService {
  readonly #grants = new Map<string, RunningGrant>();

  constructor(
    private readonly providers: ProvidersService,
    @Inject(SETTINGS) private readonly settings: ServerSettings,
  ) {}

  get #console(): GrantHome {
    return { redirectUri: `${originAt(this.settings.host, this.settings.port)}/control/v1/bench/callback`, owner: '' };
  }

  async begin(input: GrantInput, home: GrantHome = this.#console): Promise<GrantView> {
    const provider = this.providers.find(input.providerId);
    const exchanges: ExchangeView[] = [];
    const view = emptyView(randomBytes(12).toString('base64url'), exchanges, WARNINGS[input.grant]);
    let client: oauth.Configuration;
    try {
      client = await discover(provider, input, exchanges);
    } catch (error) {
      return fail(view, error as Error);
    }
    const grant: RunningGrant = {
      home,
      view,
      client,
      input,
      begunAt: Date.now(),
      state: oauth.randomState(),
      nonce: oauth.randomNonce(),
      stop: new AbortController(),
    };
    this.#keep(grant);
    try {
      await this.#start(grant);
    } catch (error) {
      if (isProblem(error)) throw error;
      fail(view, error as Error);
    }
    return view;
  }

  /** Of its owner; for others there is none. */
  view(id: string, owner = ''): GrantView {
    return this.#find(id, owner).view;
  }

  /** Ends a grant that waits, and forgets its tokens. */
  cancel(id: string): void {
    this.#find(id, '').stop.abort();
    this.#grants.delete(id);
  }

  /** Takes the answer of the provider's page: a query, or for the implicit grant a fragment. @returns how it went, in words */
  async finish(parameters: string, redirectUri: string = this.#console.redirectUri): Promise<string> {
    const state = new URLSearchParams(parameters).get('state') ?? '';
    const grant = [...this.#grants.values()].find((item) => item.state === state && item.view.state === 'waiting' && item.home.redirectUri === redirectUri);
    if (!grant) throw problem(422, 'This sign-in is not known', 'It was not begun here, was used already, or took longer than 10 minutes.');
    const { client, input, view, nonce } = grant;
    try {
      if (input.grant === 'implicit') takeFragment(view, parameters);
      else {
        const asksIdToken = input.scopes.includes('openid');
        const answer = await oauth.authorizationCodeGrant(
          client,
          new URL(`${redirectUri}?${parameters}`),
          { pkceCodeVerifier: view.pkce?.verifier ?? '', expectedState: state, ...(asksIdToken ? { expectedNonce: nonce, idTokenExpected: true } : {}) },
          input.resource ? { resource: input.resource } : {},
        );
        take(view, answer);
      }
    } catch (error) {
      fail(view, error as Error);
    }
    return view.says;
  }

  async #start(grant: RunningGrant): Promise<void> {
    const { client, input, view } = grant;
    switch (input.grant) {
      case 'client_credentials':
        return take(view, await oauth.clientCredentialsGrant(client, asked(input)));
      case 'refresh_token':
        return take(view, await oauth.refreshTokenGrant(client, needed(input.refreshToken, '/refreshToken', 'Paste a refresh token'), asked(input)));
      case 'password':
        return take(
          view,
          await oauth.genericGrantRequest(client, 'password', {
            ...asked(input),
            username: needed(input.userName, '/userName', 'Give the user’s name'),
            password: needed(input.password, '/password', 'Give the user’s password'),
          }),
        );
      case 'token_exchange':
        return take(
          view,
          await oauth.genericGrantRequest(client, 'urn:ietf:params:oauth:grant-type:token-exchange', {
            ...asked(input),
            subject_token: needed(input.subjectToken, '/subjectToken', 'Paste the token that is exchanged'),
            subject_token_type: 'urn:ietf:params:oauth:token-type:access_token',
            ...(input.audience ? { audience: input.audience } : {}),
          }),
        );
      case 'device_code':
        return this.#device(grant);
      case 'authorization_code':
      case 'implicit':
        return this.#page(grant);
    }
  }

  /** Sends a person to the provider's page. PKCE is made for this grant alone and shown. */
  async #page({ client, input, view, state, nonce, home }: RunningGrant): Promise<void> {
    const common = { ...asked(input), redirect_uri: home.redirectUri, state, ...(input.scopes.includes('openid') ? { nonce } : {}) };
    if (input.grant === 'implicit') {
      view.goTo = oauth.buildAuthorizationUrl(client, { ...common, nonce, response_type: input.scopes.includes('openid') ? 'id_token token' : 'token' }).href;
    } else {
      view.pkce = await pkcePair();
      view.goTo = oauth.buildAuthorizationUrl(client, { ...common, code_challenge: view.pkce.challenge, code_challenge_method: 'S256', prompt: 'login' }).href;
    }
    view.says = 'Waiting for somebody to sign in at the provider’s page';
  }

  /** RFC 8628: shows the code and asks again in the background until somebody entered it. */
  async #device({ client, input, view, stop }: RunningGrant): Promise<void> {
    const started = await oauth.initiateDeviceAuthorization(client, asked(input));
    view.userCode = started.user_code;
    view.goTo = started.verification_uri_complete ?? started.verification_uri;
    view.says = `Waiting for somebody to enter the code ${started.user_code} at ${started.verification_uri}`;
    oauth
      .pollDeviceAuthorizationGrant(client, started, undefined, { signal: stop.signal })
      .then((answer) => take(view, answer))
      .catch((error: Error) => fail(view, error));
  }

  /** Nobody's grants push those of somebody else out: each owner has so many, the oldest make room. */
  #keep(grant: RunningGrant): void {
    const { owner } = grant.home;
    const over = (held: RunningGrant): boolean => Date.now() - held.begunAt > WAIT_MS;
    const own = [...this.#grants].filter(([, held]) => held.home.owner === owner && !over(held));
    const oldest = new Set(own.slice(0, Math.max(0, own.length + 1 - (owner === '' ? MAX_GRANTS : MAX_OF_OWNER))).map(([id]) => id));
    for (const [id, held] of this.#grants) {
      if (!over(held) && !oldest.has(id)) continue;
      held.stop.abort();
      this.#grants.delete(id);
    }
    this.#grants.set(grant.view.id, grant);
  }

  #find(id: string, owner: string): RunningGrant {
    const grant = this.#grants.get(id);
    if (!grant || grant.home.owner !== owner) throw notFound('grant');
    return grant;
  }
}

async function discover(provider: ProviderRule, input: GrantInput, exchanges: ExchangeView[]): Promise<oauth.Configuration> {
  const options: oauth.DiscoveryRequestOptions = {
    execute: provider.allowLoopbackHttp ? [oauth.allowInsecureRequests] : [],
    [oauth.customFetch]: recordingFetch(provider, exchanges),
  };
  const authentication = input.clientSecret ? oauth.ClientSecretBasic(input.clientSecret) : oauth.None();
  return oauth.discovery(new URL(provider.issuer), input.clientId, input.clientSecret || undefined, authentication, options);
}

const asked = (input: GrantInput): Record<string, string> => ({
  ...(input.scopes.length === 0 ? {} : { scope: input.scopes.join(' ') }),
  ...(input.resource ? { resource: input.resource } : {}),
});

function needed(value: string | undefined, pointer: string, detail: string): string {
  if (!value) throw fieldProblem(pointer, detail);
  return value;
}

/** A verifier and its challenge (RFC 7636 sections 4.1 and 4.2). */
export async function pkcePair(): Promise<PkceView> {
  const verifier = oauth.randomPKCECodeVerifier();
  return { verifier, challenge: await oauth.calculatePKCECodeChallenge(verifier), method: 'S256' };
}

const emptyView = (id: string, exchanges: ExchangeView[], warning: string | undefined): GrantView => ({
  id,
  state: 'waiting',
  says: '',
  warnings: warning === undefined ? [] : [warning],
  exchanges,
  pkce: null,
  goTo: null,
  userCode: null,
  accessToken: null,
  idToken: null,
  refreshToken: null,
  tokenType: null,
  expiresAt: null,
});

function take(view: GrantView, answer: Answer): void {
  const lifeSeconds = answer.expiresIn();
  Object.assign(view, {
    state: 'done',
    says: 'The provider gave a token',
    accessToken: answer.access_token,
    idToken: answer.id_token ?? null,
    refreshToken: answer.refresh_token ?? null,
    tokenType: answer.token_type,
    expiresAt: lifeSeconds === undefined ? null : Date.now() + lifeSeconds * 1000,
  });
}

/** RFC 6749 section 4.2.2. */
function takeFragment(view: GrantView, fragment: string): void {
  const given = new URLSearchParams(fragment);
  const error = given.get('error');
  if (error !== null) throw new Error(`${error}${given.get('error_description') ? `: ${given.get('error_description') ?? ''}` : ''}`);
  const token = given.get('access_token');
  if (token === null) throw new Error('the answer has no access token');
  const seconds = Number(given.get('expires_in') ?? Number.NaN);
  Object.assign(view, {
    state: 'done',
    says: 'The provider gave a token',
    accessToken: token,
    idToken: given.get('id_token'),
    tokenType: given.get('token_type'),
    expiresAt: Number.isFinite(seconds) ? Date.now() + seconds * 1000 : null,
  });
}

/** The provider's own words, for the operator. */
function fail(view: GrantView, error: Error & { error?: string; error_description?: string; cause?: unknown }): GrantView {
  const cause = error.cause instanceof Error ? `: ${error.cause.message}` : '';
  const said = error.error ? `${error.error}${error.error_description ? `: ${error.error_description}` : ''}` : (errorOf(view) ?? `${error.message}${cause}`);
  view.state = 'failed';
  view.says = said.slice(0, 500);
  return view;
}

/** The error in the last answer (RFC 6749 section 5.2), where the library looked at the challenge instead; null when it has none. */
function errorOf(view: GrantView): string | null {
  try {
    const { error, error_description: more } = JSON.parse(view.exchanges[view.exchanges.length - 1]?.responseBody ?? '') as Record<string, unknown>;
    return typeof error === 'string' ? `${error}${typeof more === 'string' ? `: ${more}` : ''}` : null;
  } catch {
    return null;
  }
}

const isProblem = (error: unknown): boolean => typeof (error as { getStatus?: unknown }).getStatus === 'function';
