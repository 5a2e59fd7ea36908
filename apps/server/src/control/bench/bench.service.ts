import { Injectable } from '@nestjs/common';
import { CHECK_NAMES, entryOf, explain, isCode, readToken, tamper, UnreadToken, type Code, type ReleaseDocument, explainSteps } from '@virga/core';
import type {
  BenchTarget,
  CheckView,
  ExamineAsk,
  ExamineInput,
  ExamineOutcome,
  ExamineView,
  SavedTokenInput,
  SavedTokenView,
  TamperRow,
  TamperView,
} from '@virga/protocol';
import type { JWK } from 'jose';
import { randomBytes } from 'node:crypto';
import { fieldProblem, notFound, problem } from '../../http/problems.js';
import { NodeHub } from '../../nodes/node-hub.js';
import { SavedTokenRow } from '../../store/models/tokens.js';
import { Store } from '../../store/store.js';
import { ProvidersService } from '../providers/providers.service.js';
import { DraftService, hashOf } from '../releases/draft.service.js';
import { ReleasesService } from '../releases/releases.service.js';
import { BenchIssuer } from './bench-issuer.js';
import { questionOf, type Question } from './bench-target.js';

/** Holds tokens against rules, by a gateway node's own code, and keeps named ones without their signature. */
@Injectable()
export class BenchService {
  constructor(
    private readonly store: Store,
    private readonly hub: NodeHub,
    private readonly draft: DraftService,
    private readonly releases: ReleasesService,
    private readonly providers: ProvidersService,
    private readonly issuer: BenchIssuer,
  ) {}

  async examine(input: ExamineInput): Promise<ExamineView> {
    const question = await this.#question(input);
    const headers: Record<string, string> = input.dpopProof ? { dpop: input.dpopProof } : {};
    const [outcome] = await this.#ask(question, { credentials: [input.token], headers, certificate: input.certificate ?? null, key: input.key ?? null });
    if (!outcome) throw problem(502, 'The node gave no answer');
    const said = explain(outcome.code, outcome.operands);
    return {
      outcome: isRefused(outcome.code) ? 'refused' : 'passed',
      target: question.words,
      code: outcome.code,
      sentence: said?.sentence ?? outcome.code,
      remedy: said?.remedy ?? '',
      status: said?.told?.status ?? null,
      steps: explainSteps(outcome.steps, question.document),
      checks: outcome.checks.map(checkView),
      principal: outcome.principal && { ...outcome.principal },
    };
  }

  /** Sends every variant of a token through the same question. */
  async tamper(input: ExamineInput): Promise<TamperView> {
    const read = readToken(input.token);
    if (read instanceof UnreadToken) throw fieldProblem('/token', 'Only a signed JWT can be varied: three parts, of which two are JSON objects');
    const question = await this.#question(input);
    const own = read.claims['iss'] === this.issuer.issuer;
    const variants = await tamper(input.token, {
      publicKey: await this.#publicKey(question.document, String(read.claims['iss']), String(read.header['kid'] ?? '')),
      sign: own ? (header, claims) => this.issuer.sign(header, claims) : null,
      nowSeconds: Math.floor(Date.now() / 1000),
    });
    const outcomes = await this.#ask(question, {
      credentials: (variants ?? []).map((variant) => variant.token),
      headers: {},
      certificate: null,
      key: input.key ?? null,
    });
    const rows = (variants ?? []).map(({ id, title, token, expected }, index): TamperRow => {
      const outcome = outcomes[index];
      const code = outcome?.code ?? '';
      const said = explain(code, outcome?.operands ?? {});
      const result = !isRefused(code) ? 'passed' : expected.includes(code as Code) ? 'stopped' : 'stopped-otherwise';
      return { id, title, expected: [...expected], code, status: said?.told?.status ?? null, sentence: said?.sentence ?? code, result, token };
    });
    return { target: question.words, rows };
  }

  async saved(): Promise<SavedTokenView[]> {
    const rows = await SavedTokenRow.findAll({ order: [['savedAt', 'DESC']], raw: true });
    return rows.map(({ id, name, text, savedAt }) => ({ id, name, text, savedAt: Number(savedAt) }));
  }

  /** Keeps header and payload. The signature is taken off, so that what is kept opens nothing. */
  async save(input: SavedTokenInput): Promise<SavedTokenView> {
    const parts = input.token.trim().split('.');
    if (parts.length !== 3 || readToken(input.token.trim()) instanceof UnreadToken)
      throw fieldProblem('/token', 'Only a signed JWT can be kept: of an opaque token nothing would be left without the token itself');
    const view = { id: randomBytes(6).toString('hex'), name: input.name, text: `${parts[0] ?? ''}.${parts[1] ?? ''}.`, savedAt: Date.now() };
    await this.store.write((transaction) => SavedTokenRow.create(view, { transaction }));
    return view;
  }

  async forget(id: string): Promise<void> {
    const gone = await this.store.write((transaction) => SavedTokenRow.destroy({ where: { id }, transaction }));
    if (gone === 0) throw notFound('kept token');
  }

  async #question(target: BenchTarget): Promise<Question> {
    if (target.against === 'live') {
      const live = this.releases.live;
      if (!live) throw fieldProblem('/against', 'Nothing is live yet. Hold it against the draft, or publish first');
      if (target.trustBench) throw fieldProblem('/trustBench', 'The bench’s own issuer can be trusted in the draft only');
      return questionOf(live.document, target);
    }
    const { document } = this.draft;
    return questionOf(target.trustBench ? await this.issuer.trustedBy(document) : document, target);
  }

  async #ask(question: Question, ask: Omit<ExamineAsk, 'apiId' | 'operationId'>): Promise<readonly ExamineOutcome[]> {
    const { document, apiId, operationId } = question;
    const outcomes = await this.hub.examine(hashOf(document), document, { apiId, operationId, ...ask }).catch((error: Error) => {
      throw problem(502, 'The node could not decide', error.message);
    });
    if (!outcomes) throw problem(503, 'No gateway node is connected', 'Tokens are verified by a gateway node, by the same code as live traffic.');
    return outcomes;
  }

  /** The public key that a token names: the bench's own, or what its provider publishes. */
  async #publicKey(document: ReleaseDocument, issuer: string, kid: string): Promise<JWK | null> {
    const provider = document.providers.find((item) => item.issuer === issuer);
    if (!provider) return null;
    const keys = provider.source.kind === 'keys' ? provider.source.keys : await this.providers.publishedKeys(provider);
    const key = keys.find((item) => item['kid'] === kid) ?? keys[0];
    return key ? key : null;
  }
}

const isRefused = (code: string): boolean => isCode(code) && entryOf(code).says === 'fails';

function checkView({ id, step, code, operands, decides }: ExamineOutcome['checks'][number]): CheckView {
  const said = explain(code, operands);
  return {
    id,
    name: CHECK_NAMES[id],
    step,
    outcome: said?.outcome ?? 'skip',
    code,
    sentence: said?.sentence ?? code,
    comparisons: (said?.comparisons ?? []).map((item) => ({ ...item })),
    standard: said?.standard ?? '',
    remedy: said?.remedy ?? '',
    decides,
  };
}
