import { Injectable } from '@nestjs/common';
import { explainSteps, type StepTrace } from '@virga/core';
import { PROBE_HEADER, REQUEST_ID_HEADER, type ProbeAnswer, type ProbeAnswerView, type ProbeInput, type ProbeView } from '@virga/protocol';
import { request as httpRequest } from 'node:http';
import { NodeHub } from '../../nodes/node-hub.js';
import { RecordService } from '../../record/record.service.js';
import { SessionService } from '../../session/session.service.js';
import { PersonasService } from '../personas/personas.service.js';
import { fieldProblem, problem } from '../../http/problems.js';
import { ReleasesService } from '../releases/releases.service.js';
import { DraftService } from '../releases/draft.service.js';

const LIVE_MS = 30_000;
const TRACE_MS = 3000;
const KEEP_BYTES = 256 * 1024;

/** Sends composed requests: to the draft through a node's own decision code, or to the live gateway over HTTP. */
@Injectable()
export class ProbeService {
  constructor(
    private readonly hub: NodeHub,
    private readonly draft: DraftService,
    private readonly personas: PersonasService,
    private readonly records: RecordService,
    private readonly sessions: SessionService,
    private readonly releases: ReleasesService,
  ) {}

  async run(input: ProbeInput): Promise<ProbeView> {
    const startedAt = Date.now();
    const headers = input.headers.map(({ name, value }): [string, string] => [name, value]);
    const credential = await this.#credential(input);
    if (credential !== null) headers.push(['authorization', `Bearer ${credential}`]);
    if (!headers.some(([name]) => name.toLowerCase() === 'host')) headers.push(['host', new URL(this.#gatewayUrl()).host]);
    const body = input.body === undefined || input.body === '' ? null : Buffer.from(input.body);
    if (body) headers.push(['content-length', String(body.length)]);
    if (input.from !== undefined && input.against === 'live')
      throw fieldProblem('/from', 'The live gateway sees from where it is called. Only the draft can be asked about another address');
    const outcome = input.against === 'draft' ? await this.#draft(input, headers, body) : await this.#live(input, headers, body);
    return { ...outcome, against: input.against, tookMs: Date.now() - startedAt };
  }

  async #credential(input: ProbeInput): Promise<string | null> {
    if (input.sender === 'nobody') return null;
    if (input.sender === 'token') {
      if (!input.token) throw fieldProblem('/token', 'Paste a token, or send as nobody');
      if (!/^[\x20-\x7e]*$/.test(input.token)) throw fieldProblem('/token', 'The token has line breaks or characters that no header can carry');
      return input.token;
    }
    if (!input.personaId) throw fieldProblem('/personaId', 'Choose a persona');
    const token = await this.personas.token(input.personaId);
    if (input.proof === 'id-token') {
      if (token.idToken === null)
        throw fieldProblem('/proof', 'The provider gave no ID token: the persona has to ask for the scope openid, and a person has to sign in');
      return token.idToken;
    }
    return input.proof === 'tampered' ? tamper(token.accessToken) : token.accessToken;
  }

  async #draft(input: ProbeInput, headers: [string, string][], body: Buffer | null): Promise<Omit<ProbeView, 'against' | 'tookMs'>> {
    const [first] = this.draft.problems;
    if (first) throw problem(422, 'The draft cannot decide', first.detail, [...this.draft.problems]);
    const request = { method: input.method.toUpperCase(), target: input.target, headers, body: body?.toString('base64') ?? null, from: input.from ?? null };
    const outcome = await this.hub.probe(this.draft.hash, this.draft.document, request, input.forward).catch((error: Error) => {
      throw problem(502, 'The node could not decide', error.message);
    });
    if (!outcome) throw problem(503, 'No gateway node is connected', 'The draft is decided by a gateway node, by the same code as live traffic.');
    return {
      outcome: outcome.outcome,
      traceId: null,
      steps: explainSteps(outcome.steps, this.draft.document),
      answer: outcome.answer && answerView(outcome.answer),
    };
  }

  async #live(input: ProbeInput, headers: [string, string][], body: Buffer | null): Promise<Omit<ProbeView, 'against' | 'tookMs'>> {
    const answer = await this.#send(input, [...headers, [PROBE_HEADER, this.sessions.signProbe()]], body);
    const id = answer.headers.find(([name]) => name.toLowerCase() === REQUEST_ID_HEADER)?.[1] ?? '';
    const trace = id === '' ? null : await this.records.waitForTrace(id, TRACE_MS);
    const steps = trace ? (JSON.parse(trace.body) as { steps: StepTrace[] }).steps : [];
    return {
      outcome: trace?.outcome ?? (answer.status < 400 ? 'passed' : 'refused'),
      traceId: trace?.id ?? null,
      steps: explainSteps(steps, trace ? await this.releases.documentOf(trace.release) : null),
      answer: answerView(answer),
    };
  }

  #gatewayUrl(): string {
    const url = this.hub.connected[0]?.status?.gatewayUrl;
    if (!url) throw problem(503, 'No gateway node is connected');
    return url;
  }

  #send(input: ProbeInput, headers: [string, string][], body: Buffer | null): Promise<ProbeAnswer> {
    const gateway = new URL(this.#gatewayUrl());
    return new Promise((resolve, reject) => {
      const request = httpRequest(
        {
          host: gateway.hostname,
          port: gateway.port,
          method: input.method.toUpperCase(),
          path: input.target,
          headers: headers.flat(),
          setHost: false,
          timeout: LIVE_MS,
          agent: false,
        },
        (response) => {
          const parts: Buffer[] = [];
          let size = 0;
          response.on('data', (chunk: Buffer) => {
            if (size < KEEP_BYTES) parts.push(chunk);
            size += chunk.length;
          });
          response.on('end', () => {
            const text = Buffer.concat(parts).subarray(0, KEEP_BYTES).toString('utf8');
            const flat = response.rawHeaders;
            const pairs = flat.flatMap((name, index): [string, string][] => (index % 2 === 0 ? [[name, flat[index + 1] ?? '']] : []));
            resolve({
              status: response.statusCode ?? 0,
              headers: pairs,
              body: text.includes('\u0000') ? null : text,
              bodyBytes: size,
              truncated: size > KEEP_BYTES,
            });
          });
          response.on('error', reject);
        },
      );
      request.on('timeout', () => request.destroy(new Error(`no answer within ${LIVE_MS} ms`)));
      request.on('error', (error) => reject(problem(502, 'The gateway did not answer', error.message)));
      request.end(body ?? undefined);
    });
  }
}

function answerView(answer: ProbeAnswer): ProbeAnswerView {
  return { ...answer, headers: answer.headers.map(([name, value]) => ({ name, value })) };
}

/** A JWT whose payload was edited after it was signed; an opaque token with one character changed. */
export function tamper(token: string): string {
  const [header = '', payload = '', signature = ''] = token.split('.');
  try {
    const claims = JSON.parse(Buffer.from(payload, 'base64url').toString('utf8')) as Record<string, unknown>;
    const edited = { ...claims, sub: `${String(claims['sub'] ?? '')}-changed` };
    return [header, Buffer.from(JSON.stringify(edited)).toString('base64url'), signature].join('.');
  } catch {
    const at = Math.floor(token.length / 2);
    return token.slice(0, at) + (token[at] === 'A' ? 'B' : 'A') + token.slice(at + 1);
  }
}
