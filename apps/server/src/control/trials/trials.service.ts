import { Injectable } from '@nestjs/common';
import type { ReleaseDocument, SavedTrial, SupposedCredential, TracedCaller, TrialReport } from '@virga/core';
import type { SavedTrialInput, SavedTrialView, TrialReportView } from '@virga/protocol';
import { randomBytes } from 'node:crypto';
import { fieldProblem, notFound, problem } from '../../http/problems.js';
import { SavedTrialRow } from '../../store/models/trials.js';
import { findTrace } from '../../store/record-store.js';
import { Store } from '../../store/store.js';
import { ReachService } from '../reach/reach.service.js';
import { DraftService } from '../releases/draft.service.js';
import { ReleasesService } from '../releases/releases.service.js';
import { TrialRunner } from '../trial-run/trial-runner.js';
import { reportView } from '../trial-run/report-view.js';

/** Requests that are tried before every release, at most. */
const MAX_SAVED = 500;

interface TracedCall {
  readonly query: string;
  readonly requestHeaders: readonly (readonly [string, string])[];
  readonly requestBytes: number;
  readonly who?: TracedCaller | null;
}

/** Trials of the draft, and requests that are saved to be tried before every release. */
@Injectable()
export class TrialsService {
  constructor(
    private readonly store: Store,
    private readonly draft: DraftService,
    private readonly releases: ReleasesService,
    private readonly reach: ReachService,
    private readonly runner: TrialRunner,
  ) {}

  async run(): Promise<TrialReportView> {
    return reportView(await this.report());
  }

  report(): Promise<TrialReport> {
    const [first] = this.draft.problems;
    if (first) throw problem(422, 'The draft cannot decide', first.detail, [...this.draft.problems]);
    return this.runner.run(this.draft.document, this.releases.live?.document ?? null);
  }

  async saved(): Promise<SavedTrialView[]> {
    const rows = await SavedTrialRow.findAll({ order: [['savedAt', 'DESC']], raw: true });
    return rows.map((row) => viewOf(row, this.draft.document));
  }

  async save(input: SavedTrialInput, by: string): Promise<SavedTrialView> {
    const { name, expected } = input;
    if ((input.traceId === undefined) === (input.call === undefined)) throw fieldProblem('/traceId', 'Name a trace, or compose a call, one of the two');
    const saved = input.traceId === undefined ? await this.#composed(input) : await this.#traced(input.traceId);
    const row = { id: randomBytes(6).toString('hex'), name, expected, call: JSON.stringify(saved), savedAt: Date.now(), savedBy: by };
    await this.store.write(async (transaction) => {
      if ((await SavedTrialRow.count({ transaction })) >= MAX_SAVED)
        throw problem(409, 'There are too many saved trials', `At most ${MAX_SAVED} are kept. Take some away first.`);
      // Names say which one is overruled.
      if (await SavedTrialRow.findOne({ where: { name }, transaction })) throw fieldProblem('/name', 'There is a saved trial of this name');
      await SavedTrialRow.create(row, { transaction });
    });
    return viewOf(row, this.draft.document);
  }

  async forget(id: string): Promise<void> {
    const gone = await this.store.write((transaction) => SavedTrialRow.destroy({ where: { id }, transaction }));
    if (gone === 0) throw notFound('saved trial');
  }

  async #traced(id: string): Promise<Pick<SavedTrial, 'call' | 'atMs'>> {
    const row = await findTrace(id);
    if (!row) throw notFound('trace');
    const { query, requestHeaders, requestBytes, who = null } = JSON.parse(row.body) as TracedCall;
    const provider = this.draft.document.providers.find((one) => one.id === row.providerId);
    const token: SupposedCredential[] =
      who?.principal && row.providerId !== null
        ? [
            {
              kind: 'token',
              providerId: row.providerId,
              form: 'jwt',
              typ: null,
              claims: { iss: provider?.issuer ?? '' },
              principal: who.principal,
              vague: false,
            },
          ]
        : [];
    const known = (who?.credentials ?? []).map(({ kind, id: credentialId }): SupposedCredential => ({ kind, credentialId }));
    return {
      atMs: Number(row.at),
      call: {
        method: row.method,
        target: row.path + query,
        headers: Object.fromEntries(requestHeaders.filter(([, value]) => !value.includes('<removed')).map(([header, value]) => [header.toLowerCase(), value])),
        address: row.address === 'unknown' ? null : row.address,
        body: requestBytes === 0 ? null : requestBytes,
        credentials: [...token, ...known],
      },
    };
  }

  async #composed({ call }: SavedTrialInput): Promise<Pick<SavedTrial, 'call' | 'atMs'>> {
    if (call === undefined) throw fieldProblem('/call', 'Compose a call');
    const { method, target, headers, from, bodyBytes, body, personaId } = call;
    const persona = personaId === undefined ? null : (await this.reach.facts()).personas.find(({ id }) => id === `persona ${personaId}`);
    if (persona === undefined) throw fieldProblem('/call/personaId', 'There is no such persona');
    const credentials = (persona?.credentials ?? []).map((one): SupposedCredential => {
      if (one.kind !== 'token') return one;
      // Its token will be another one each time: what it says of itself alone does not count.
      const { exp: _exp, iat: _iat, nbf: _nbf, jti: _jti, ...claims } = one.claims;
      return { ...one, claims };
    });
    return {
      atMs: Date.now(),
      call: {
        method,
        target,
        headers: Object.fromEntries(headers.map(({ name, value }) => [name.toLowerCase(), value])),
        address: from ?? '127.0.0.1',
        body: body === undefined ? (bodyBytes ?? null) : { content: body },
        credentials,
      },
    };
  }
}

function viewOf(
  { id, name, expected, call: text, savedAt, savedBy }: Pick<SavedTrialRow, 'id' | 'name' | 'expected' | 'call' | 'savedAt' | 'savedBy'>,
  document: ReleaseDocument,
): SavedTrialView {
  const { call } = JSON.parse(text) as Pick<SavedTrial, 'call'>;
  const who = call.credentials.map((one) => {
    if (one.kind !== 'token') return `a client’s ${one.kind}`;
    return (
      one.principal?.subject ??
      String(
        one.claims['sub'] ?? one.principal?.client ?? `a token of ${document.providers.find((provider) => provider.id === one.providerId)?.name ?? 'somebody'}`,
      )
    );
  });
  return {
    id,
    name,
    expected,
    method: call.method,
    target: call.target,
    who: who.join(' and ') || 'nobody',
    address: call.address,
    savedAt: Number(savedAt),
    savedBy,
  };
}
