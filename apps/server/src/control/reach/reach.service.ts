import { Injectable } from '@nestjs/common';
import { describedToken, keyForm, readToken, recognise, UnreadToken, type SupposedCaller, type SupposedToken } from '@virga/core';
import type { PastedView, PersonaView, ReachFacts, ReachKeys } from '@virga/protocol';
import { createHash } from 'node:crypto';
import { ClientRow, CredentialRow } from '../../store/models/clients.js';
import { readKnownFacts } from '../../store/known-facts.js';
import { BenchService } from '../bench/bench.service.js';
import { PersonasService } from '../personas/personas.service.js';
import { ProvidersService } from '../providers/providers.service.js';
import { DraftService } from '../releases/draft.service.js';

/** How long a persona's provider may take to give a token, milliseconds. */
const TOKEN_MS = 4000;

/** What suppositions are made of: the facts that nodes decide by, without what proves anybody. */
@Injectable()
export class ReachService {
  constructor(
    private readonly draft: DraftService,
    private readonly personas: PersonasService,
    private readonly providers: ProvidersService,
    private readonly bench: BenchService,
  ) {}

  async facts(): Promise<ReachFacts> {
    const [known, personas] = await Promise.all([readKnownFacts(), this.#personas()]);
    return { ...known, personas };
  }

  /** Keys of the draft's providers, as these publish them now. */
  async keys(): Promise<ReachKeys> {
    const { providers } = this.draft.document;
    const keys = await Promise.all(
      providers.map(
        async (provider) => [provider.id, provider.source.kind === 'keys' ? provider.source.keys : await this.providers.publishedKeys(provider)] as const,
      ),
    );
    return { keys: Object.fromEntries(keys) };
  }

  /** What a pasted text is. Nothing of it is kept. */
  async pasted(text: string): Promise<PastedView> {
    const trimmed = text.trim();
    const lookup = createHash('sha256').update(trimmed).digest('base64url');
    const found = await CredentialRow.findOne({ where: { kind: 'key', lookup, superseded: false }, raw: true });
    if (found) {
      const client = await ClientRow.findByPk(found.clientId, { raw: true });
      return { is: 'key', credentialId: found.id, says: `The key ${found.name} of ${client?.name ?? 'a client that is gone'}` };
    }
    if (keyForm(trimmed) !== 'other') return { is: 'key', credentialId: null, says: 'It has the form of a key that was made here, but nobody here has it' };
    const [item] = recognise(trimmed);
    if (item?.kind === 'access-token' || item?.kind === 'id-token' || item?.kind === 'jwt')
      return { is: 'token', credentialId: null, says: 'A signed token: whether its provider vouches for it is decided for each operation' };
    return {
      is: 'nothing',
      credentialId: null,
      says: 'Neither a signed token nor a key of a client. Of an opaque token only its provider can say what it opens: give it to a persona',
    };
  }

  async #personas(): Promise<SupposedCaller[]> {
    return Promise.all((await this.personas.list()).map((persona) => this.#persona(persona)));
  }

  async #persona(persona: PersonaView): Promise<SupposedCaller> {
    const named = { id: `persona ${persona.id}`, kind: 'persona', name: persona.name } as const;
    const token = await withinTime(this.personas.token(persona.id)).catch(() => null);
    const { providerId } = persona;
    const provider = this.draft.document.providers.find(({ id }) => id === providerId);
    if (token === null) {
      const described = describedToken(providerId, provider, { scopes: persona.scopes, roles: [], client: persona.clientId });
      return { ...named, credentials: [described], note: 'has no token now: only what it asks for is known' };
    }
    const read = readToken(token.accessToken);
    if (!(read instanceof UnreadToken)) {
      const { typ } = read.header;
      return {
        ...named,
        credentials: [
          { kind: 'token', providerId, form: 'jwt', typ: typeof typ === 'string' ? typ : null, claims: read.claims, principal: null, vague: false },
        ],
      };
    }
    const opaque = await this.#opaque(providerId, token.accessToken);
    return opaque
      ? { ...named, credentials: [opaque], note: 'its token is opaque: its provider was asked what it says' }
      : {
          ...named,
          credentials: [describedToken(providerId, provider, { scopes: persona.scopes, roles: [] })],
          note: 'its provider does not say what its token is',
        };
  }

  /** What a provider says of an opaque token, asked by a node as for any request. */
  async #opaque(providerId: string, token: string): Promise<SupposedToken | null> {
    const provider = this.draft.document.providers.find(({ id }) => id === providerId);
    const view = await withinTime(this.bench.examine({ token, against: 'draft', trustBench: false, providerId })).catch(() => null);
    return view?.principal ? describedToken(providerId, provider, view.principal) : null;
  }
}

const withinTime = <T>(promise: Promise<T>): Promise<T> =>
  Promise.race([
    promise,
    new Promise<never>((_resolve, reject) => {
      setTimeout(() => reject(new Error(`no answer within ${TOKEN_MS} ms`)), TOKEN_MS).unref();
    }),
  ]);
