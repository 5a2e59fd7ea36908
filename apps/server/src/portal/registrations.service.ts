import { Injectable } from '@nestjs/common';
import type { ProviderRule } from '@virga/core';
import { guardedFetchFunction } from '@virga/outbound';
import type { OwnClient, OwnSecretMade, RedirectsInput, RegisteredClientInput } from '@virga/protocol';
import * as oauth from 'openid-client';
import { ClientsService } from '../control/clients/clients.service.js';
import { ReleasesService } from '../control/releases/releases.service.js';
import { fieldProblem, notFound, problem } from '../http/problems.js';
import { Vault } from '../secret/vault.js';
import { ClientRow, CredentialRow } from '../store/models/clients.js';
import { RegistrationRow } from '../store/models/portal.js';
import { Store } from '../store/store.js';
import { OwnClientsService } from './own-clients.service.js';
import type { Acting } from './portal.guard.js';
import { PortalSettingsService } from './portal-settings.service.js';

type Json = Readonly<Record<string, unknown>>;

/** Clients of a team that are registered at a provider (RFC 7591), and their redirect addresses there (RFC 7592). */
@Injectable()
export class RegistrationsService {
  constructor(
    private readonly store: Store,
    private readonly vault: Vault,
    private readonly settings: PortalSettingsService,
    private readonly releases: ReleasesService,
    private readonly clients: ClientsService,
    private readonly own: OwnClientsService,
  ) {}

  async register(clientId: string, { providerId, redirectUris }: RegisteredClientInput, { team, author }: Acting): Promise<OwnSecretMade> {
    const { name } = await this.own.view(team.id, clientId);
    refuseAddresses(redirectUris);
    const provider = await this.#provider(providerId);
    const endpoint = await this.#endpoint(provider);
    const answer = await this.#ask(provider, endpoint, 'POST', null, {
      client_name: name,
      // The portal's own page is one of them, so that tokens can be asked for there too.
      redirect_uris: [...new Set([...redirectUris, this.settings.redirectUris.tokens])],
      grant_types: ['authorization_code', 'refresh_token'],
      response_types: ['code'],
      token_endpoint_auth_method: 'client_secret_basic',
    });
    const { client_id: given, client_secret: secret, registration_client_uri: uri, registration_access_token: token } = answer;
    if (typeof given !== 'string' || given === '')
      throw problem(502, 'The provider did not register it', 'Its answer has no client_id (RFC 7591 section 3.2.1).');
    const { credential } = await this.clients.addCredential(
      clientId,
      { kind: 'provider-client', name: `at ${provider.name}`, providerId, providerClient: given },
      author,
    );
    if (typeof uri === 'string' && typeof token === 'string' && this.#isProviders(provider, uri))
      await this.store.write((transaction) =>
        RegistrationRow.create(
          {
            credentialId: credential.id,
            providerId,
            uri,
            sealed: this.vault.seal(token, `registration ${credential.id}`),
            redirectUris: JSON.stringify(redirectUris),
          },
          { transaction },
        ),
      );
    return { client: await this.own.view(team.id, clientId), credentialId: credential.id, secret: typeof secret === 'string' ? secret : null };
  }

  async setRedirects(clientId: string, credentialId: string, { redirectUris }: RedirectsInput, { team }: Acting): Promise<OwnClient> {
    const owned = await ClientRow.findOne({ attributes: ['id'], where: { id: clientId, teamId: team.id } });
    const credential = owned && (await CredentialRow.findOne({ where: { id: credentialId, clientId }, raw: true }));
    const row = credential && (await RegistrationRow.findByPk(credentialId));
    if (!credential || !row) throw notFound('registration');
    if (credential.revokedAt !== null) throw problem(409, 'It is revoked', 'Register the client anew.');
    refuseAddresses(redirectUris);
    const provider = await this.#provider(row.providerId);
    const token = this.vault.open(row.sealed, `registration ${credentialId}`);
    // The whole of what there is goes back with the change (RFC 7592 section 2.2), without what may not be sent.
    const known = await this.#ask(provider, row.uri, 'GET', token);
    const { registration_access_token: _token, registration_client_uri: _uri, client_secret_expires_at: _ends, client_id_issued_at: _issued, ...rest } = known;
    const answer = await this.#ask(provider, row.uri, 'PUT', token, {
      ...rest,
      redirect_uris: [...new Set([...redirectUris, this.settings.redirectUris.tokens])],
    });
    const fresh = typeof answer['registration_access_token'] === 'string' ? answer['registration_access_token'] : token;
    await this.store.write((transaction) =>
      row.update({ redirectUris: JSON.stringify(redirectUris), sealed: this.vault.seal(fresh, `registration ${credentialId}`) }, { transaction }),
    );
    return this.own.view(team.id, clientId);
  }

  async #provider(id: string): Promise<ProviderRule> {
    const open = (await this.settings.read()).providers.some(({ providerId, registration }) => providerId === id && registration);
    const provider = this.releases.live?.document.providers.find((one) => one.id === id);
    if (!open || !provider) throw fieldProblem('/providerId', 'Clients cannot be registered there');
    return provider;
  }

  async #endpoint(provider: ProviderRule): Promise<string> {
    try {
      const found = await oauth.discovery(new URL(provider.issuer), 'unused', undefined, oauth.None(), {
        execute: provider.allowLoopbackHttp ? [oauth.allowInsecureRequests] : [],
        [oauth.customFetch]: guardedFetchFunction(provider),
      });
      const endpoint = found.serverMetadata().registration_endpoint;
      if (endpoint) return endpoint;
    } catch (error) {
      throw problem(502, 'The provider did not answer', (error as Error).message.slice(0, 300));
    }
    throw problem(502, 'The provider registers no clients', 'Its metadata has no registration_endpoint (RFC 8414 section 2).');
  }

  /** A provider's own address: its token is sent nowhere else. */
  #isProviders({ issuer }: ProviderRule, uri: string): boolean {
    return URL.canParse(uri) && new URL(uri).origin === new URL(issuer).origin;
  }

  async #ask(provider: ProviderRule, address: string, method: 'GET' | 'POST' | 'PUT', token: string | null, body?: Json): Promise<Json> {
    const headers = {
      ...(body ? { 'content-type': 'application/json' } : {}),
      ...(token === null ? {} : { authorization: `Bearer ${token}` }),
      accept: 'application/json',
    };
    let answer: Response;
    try {
      answer = await guardedFetchFunction(provider)(address, { method, headers, ...(body ? { body: JSON.stringify(body) } : {}) });
    } catch (error) {
      throw problem(502, 'The provider did not answer', (error as Error).message.slice(0, 300));
    }
    const said = (await answer.json().catch(() => ({}))) as Json;
    if (answer.ok) return said;
    // Its own words are for whoever chose the addresses (RFC 7591 section 3.2.2).
    const words = [said['error'], said['error_description']].filter((one) => typeof one === 'string').join(': ');
    throw fieldProblem('/redirectUris', `The provider did not take it: ${words || answer.status}`.slice(0, 300));
  }
}

/** RFC 6749 section 3.1.2 and RFC 8252 section 8.3. @throws HttpException 422 */
function refuseAddresses(addresses: readonly string[]): void {
  addresses.forEach((address, index) => {
    const url = URL.canParse(address) ? new URL(address) : null;
    const pointer = `/redirectUris/${index}`;
    if (!url || url.hash !== '' || url.username !== '') throw fieldProblem(pointer, 'A whole address without a fragment and a name');
    const loopback = /^(127\.0\.0\.1|\[::1\]|localhost)$/.test(url.hostname);
    if (url.protocol !== 'https:' && !(url.protocol === 'http:' && loopback))
      throw fieldProblem(pointer, 'It begins with https:, or with http: on this machine itself');
  });
}
