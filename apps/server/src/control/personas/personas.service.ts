import { Inject, Injectable } from '@nestjs/common';
import type { ProviderRule } from '@virga/core';
import { guardedFetchFunction } from '@virga/outbound';
import type { PersonaInput, PersonaView, TokenView } from '@virga/protocol';
import { originAt } from '@virga/protocol/node';
import { randomBytes } from 'node:crypto';
import * as oauth from 'openid-client';
import { SETTINGS, type ServerSettings } from '../../config/settings.js';
import { Vault } from '../../secret/vault.js';
import { PersonaRow } from '../../store/models/configuration.js';
import { Store } from '../../store/store.js';
import { fieldProblem, notFound, problem } from '../../http/problems.js';
import { DraftService } from '../releases/draft.service.js';

interface PersonaBody {
  readonly name: string;
  readonly providerId: string;
  readonly grant: PersonaInput['grant'];
  readonly clientId: string;
  readonly scopes: readonly string[];
  readonly resource: string;
}

interface HeldToken {
  readonly accessToken: string;
  readonly idToken: string | null;
  /** Milliseconds since the epoch; null when the provider did not say. */
  readonly expiresAt: number | null;
}

interface SignIn {
  readonly personaId: string;
  readonly verifier: string;
  readonly nonce: string | null;
  readonly begunAt: number;
}

const SIGN_IN_MS = 600_000;
const EARLY_MS = 5000;

/** Personas: saved ways of getting a token. Tokens are held in memory only; client secrets are encrypted at rest. */
@Injectable()
export class PersonasService {
  readonly #store: Store;
  readonly #draft: DraftService;
  readonly #vault: Vault;
  readonly #settings: ServerSettings;
  readonly #tokens = new Map<string, HeldToken>();
  readonly #signIns = new Map<string, SignIn>();

  constructor(store: Store, draft: DraftService, vault: Vault, @Inject(SETTINGS) settings: ServerSettings) {
    this.#store = store;
    this.#draft = draft;
    this.#vault = vault;
    this.#settings = settings;
  }

  get redirectUri(): string {
    return `${originAt(this.#settings.host, this.#settings.port)}/control/v1/personas/callback`;
  }

  async list(): Promise<PersonaView[]> {
    const rows = await PersonaRow.findAll({ order: [['position', 'ASC']], raw: true });
    return rows.map((row) => this.#view(row));
  }

  async add(input: PersonaInput): Promise<PersonaView> {
    this.#provider(input.providerId);
    const id = randomBytes(6).toString('hex');
    const secret = input.clientSecret ? this.#vault.seal(input.clientSecret, id) : null;
    if (input.grant === 'client_credentials' && secret === null) throw fieldProblem('/clientSecret', 'Client credentials need a secret');
    const row = await this.#store.write(async (transaction) => {
      const position = ((await PersonaRow.max<number | null, PersonaRow>('position', { transaction })) ?? 0) + 1;
      return PersonaRow.create({ id, position, body: JSON.stringify(bodyOf(input)), secret }, { transaction });
    });
    return this.#view(row);
  }

  async change(id: string, input: PersonaInput): Promise<PersonaView> {
    this.#provider(input.providerId);
    const row = await this.#row(id);
    const secret = input.clientSecret === undefined ? row.secret : input.clientSecret === '' ? null : this.#vault.seal(input.clientSecret, id);
    if (input.grant === 'client_credentials' && secret === null) throw fieldProblem('/clientSecret', 'Client credentials need a secret');
    this.#tokens.delete(id);
    await this.#store.write((transaction) => PersonaRow.update({ body: JSON.stringify(bodyOf(input)), secret }, { where: { id }, transaction }));
    return this.#view(await this.#row(id));
  }

  async remove(id: string): Promise<void> {
    await this.#row(id);
    this.#tokens.delete(id);
    await this.#store.write((transaction) => PersonaRow.destroy({ where: { id }, transaction }));
  }

  /** The persona's token, got now when it needs no person. @throws problem when a person must sign in first */
  async token(id: string): Promise<TokenView> {
    const held = this.#tokens.get(id);
    if (held && (held.expiresAt === null || held.expiresAt > Date.now() + EARLY_MS)) return held;
    const row = await this.#row(id);
    const body = JSON.parse(row.body) as PersonaBody;
    if (body.grant === 'authorization_code') throw problem(409, `${body.name} must sign in first`, 'Start the sign-in; it opens the provider’s own page.');
    return this.#exchange(row, body, (client) => oauth.clientCredentialsGrant(client, parameters(body)));
  }

  /** Forgets the token, so that the next one is fresh. */
  async forget(id: string): Promise<void> {
    await this.#row(id);
    this.#tokens.delete(id);
  }

  /** Begins authorization code with PKCE. @returns the provider's sign-in address */
  async beginSignIn(id: string): Promise<string> {
    const row = await this.#row(id);
    const body = JSON.parse(row.body) as PersonaBody;
    if (body.grant !== 'authorization_code') throw problem(409, `${body.name} needs no sign-in`);
    const client = await this.#client(row, body);
    const verifier = oauth.randomPKCECodeVerifier();
    const state = oauth.randomState();
    const nonce = body.scopes.includes('openid') ? oauth.randomNonce() : null;
    for (const [known, signIn] of this.#signIns) if (Date.now() - signIn.begunAt > SIGN_IN_MS) this.#signIns.delete(known);
    this.#signIns.set(state, { personaId: id, verifier, nonce, begunAt: Date.now() });
    const endpoint = client.serverMetadata().authorization_endpoint ?? '';
    if (!/^https?:\/\//i.test(endpoint))
      throw problem(
        502,
        'The provider has no page to sign in at',
        `Its authorization endpoint is ${endpoint === '' ? 'missing' : `“${endpoint.slice(0, 100)}”, no http or https address`}.`,
      );
    const url = oauth.buildAuthorizationUrl(client, {
      ...parameters(body),
      redirect_uri: this.redirectUri,
      code_challenge: await oauth.calculatePKCECodeChallenge(verifier),
      code_challenge_method: 'S256',
      state,
      ...(nonce === null ? {} : { nonce }),
      prompt: 'login',
    });
    return url.href;
  }

  /** Ends authorization code with PKCE. The state is good once and names the sign-in it belongs to. @returns the persona's name */
  async endSignIn(query: string): Promise<string> {
    const state = new URLSearchParams(query).get('state') ?? '';
    const signIn = this.#signIns.get(state);
    this.#signIns.delete(state);
    if (!signIn || Date.now() - signIn.begunAt > SIGN_IN_MS)
      throw problem(422, 'This sign-in is not known', 'It was not begun here, was used already, or took longer than 10 minutes.');
    const row = await this.#row(signIn.personaId);
    const body = JSON.parse(row.body) as PersonaBody;
    await this.#exchange(row, body, (client) =>
      oauth.authorizationCodeGrant(
        client,
        new URL(`${this.redirectUri}?${query}`),
        { pkceCodeVerifier: signIn.verifier, expectedState: state, ...(signIn.nonce === null ? {} : { expectedNonce: signIn.nonce, idTokenExpected: true }) },
        body.resource === '' ? {} : { resource: body.resource },
      ),
    );
    return body.name;
  }

  async #exchange(
    row: PersonaRow,
    body: PersonaBody,
    ask: (client: oauth.Configuration) => Promise<oauth.TokenEndpointResponse & oauth.TokenEndpointResponseHelpers>,
  ): Promise<HeldToken> {
    try {
      const answer = await ask(await this.#client(row, body));
      const lifeSeconds = answer.expiresIn();
      const held = {
        accessToken: answer.access_token,
        idToken: answer.id_token ?? null,
        expiresAt: lifeSeconds === undefined ? null : Date.now() + lifeSeconds * 1000,
      };
      this.#tokens.set(row.id, held);
      return held;
    } catch (error) {
      throw providerProblem(error as Error);
    }
  }

  async #client(row: PersonaRow, body: PersonaBody): Promise<oauth.Configuration> {
    const provider = this.#provider(body.providerId);
    const secret = row.secret === null ? undefined : this.#vault.open(row.secret, row.id);
    const execute = provider.allowLoopbackHttp ? [oauth.allowInsecureRequests] : [];
    const options: oauth.DiscoveryRequestOptions = { execute, [oauth.customFetch]: guardedFetchFunction(provider) };
    try {
      const client = await oauth.discovery(
        new URL(provider.issuer),
        body.clientId,
        secret,
        secret === undefined ? oauth.None() : oauth.ClientSecretBasic(secret),
        options,
      );
      return client;
    } catch (error) {
      throw providerProblem(error as Error);
    }
  }

  #provider(id: string): ProviderRule {
    const provider = this.#draft.document.providers.find((item) => item.id === id);
    if (!provider) throw fieldProblem('/providerId', 'There is no such provider');
    return provider;
  }

  async #row(id: string): Promise<PersonaRow> {
    const row = await PersonaRow.findByPk(id, { raw: true });
    if (!row) throw notFound('persona');
    return row;
  }

  #view(row: PersonaRow): PersonaView {
    const body = JSON.parse(row.body) as PersonaBody;
    const held = this.#tokens.get(row.id);
    const expired = held !== undefined && held.expiresAt !== null && held.expiresAt <= Date.now();
    return {
      id: row.id,
      ...body,
      scopes: [...body.scopes],
      providerName: this.#draft.document.providers.find((item) => item.id === body.providerId)?.name ?? 'a provider that is no longer trusted',
      secret: row.secret === null ? 'none' : 'kept',
      token: { state: held ? (expired ? 'expired' : 'ready') : 'none', expiresAt: held?.expiresAt ?? null },
      redirectUri: this.redirectUri,
    };
  }
}

function bodyOf(input: PersonaInput): PersonaBody {
  const { name, providerId, grant, clientId, scopes, resource } = input;
  return { name, providerId, grant, clientId, scopes, resource };
}

function parameters(body: PersonaBody): Record<string, string> {
  return { ...(body.scopes.length === 0 ? {} : { scope: body.scopes.join(' ') }), ...(body.resource === '' ? {} : { resource: body.resource }) };
}

/** The provider's own words, for the operator. */
function providerProblem(error: Error & { error?: string; error_description?: string; cause?: unknown; status?: number; getStatus?: unknown }): Error {
  if (typeof error.getStatus === 'function') return error;
  const cause = error.cause instanceof Error ? `: ${error.cause.message}` : '';
  const said = error.error ? `${error.error}${error.error_description ? `: ${error.error_description}` : ''}` : `${error.message}${cause}`;
  return problem(502, 'The provider gave no token', said.slice(0, 500));
}
