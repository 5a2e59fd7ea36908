import { Injectable } from '@nestjs/common';
import { unseenIn, type Revocation } from '@virga/core';
import type { RevocationInput, RevocationView } from '@virga/protocol';
import { randomBytes } from 'node:crypto';
import { fieldProblem, notFound } from '../../http/problems.js';
import { NodeHub } from '../../nodes/node-hub.js';
import { SecretsService } from '../../secret/secrets.service.js';
import { RevocationRow } from '../../store/models/tokens.js';
import { Store } from '../../store/store.js';
import { DraftService } from '../releases/draft.service.js';
import { ReleasesService } from '../releases/releases.service.js';

/** Tokens that are refused although they are genuine. Nodes are told at once, apart from any release. */
@Injectable()
export class RevocationsService {
  #entries: readonly (Revocation & { readonly madeAt: number })[] = [];

  constructor(
    private readonly store: Store,
    private readonly draft: DraftService,
    private readonly releases: ReleasesService,
    private readonly secrets: SecretsService,
    private readonly hub: NodeHub,
  ) {
    secrets.onChange(() => this.#tell());
  }

  async load(): Promise<void> {
    const rows = await RevocationRow.findAll({ order: [['madeAt', 'DESC']], raw: true });
    this.#entries = rows.map(({ id, kind, providerId, value, issuedBefore, reason, madeAt }) => ({
      id,
      kind,
      providerId,
      value,
      reason,
      issuedBefore: issuedBefore === null ? null : Number(issuedBefore),
      madeAt: Number(madeAt),
    }));
    this.#tell();
  }

  list(): RevocationView[] {
    const names = new Map(
      [...(this.releases.live?.document.providers ?? []), ...this.draft.document.providers].map((provider) => [provider.id, provider.name]),
    );
    return this.#entries.map((entry) => ({ ...entry, providerName: names.get(entry.providerId) ?? 'a provider that is no longer trusted' }));
  }

  async add(input: RevocationInput): Promise<RevocationView> {
    const known = [...this.draft.document.providers, ...(this.releases.live?.document.providers ?? [])].some((provider) => provider.id === input.providerId);
    if (!known) throw fieldProblem('/providerId', 'There is no such provider');
    const { kind, providerId, value, reason } = input;
    const unseen = unseenIn(value);
    if (unseen !== null) throw fieldProblem('/value', `It has ${unseen}: tokens that say it without would stay good`);
    const entry = { id: randomBytes(6).toString('hex'), kind, providerId, value, reason, issuedBefore: input.issuedBefore ?? null, madeAt: Date.now() };
    await this.store.write((transaction) => RevocationRow.create(entry, { transaction }));
    this.#entries = [entry, ...this.#entries];
    this.#tell();
    const [view] = this.list();
    if (!view) throw notFound('revocation');
    return view;
  }

  /** Takes a revocation back; its tokens are good again at once. */
  async remove(id: string): Promise<void> {
    const gone = await this.store.write((transaction) => RevocationRow.destroy({ where: { id }, transaction }));
    if (gone === 0) throw notFound('revocation');
    this.#entries = this.#entries.filter((entry) => entry.id !== id);
    this.#tell();
  }

  #tell(): void {
    const revocations = this.#entries.map(({ id, kind, providerId, value, issuedBefore, reason }): Revocation => ({
      id,
      kind,
      providerId,
      value,
      issuedBefore,
      reason,
    }));
    this.hub.tellFacts(this.secrets.all, revocations);
  }
}
