import { Inject, Injectable } from '@nestjs/common';
import { CALLER_HEADER, REQUEST_ID_HEADER, type AttemptAnswer, type AttemptInput, type PortalSession } from '@virga/protocol';
import { request as httpRequest } from 'node:http';
import { SETTINGS, type ServerSettings } from '../config/settings.js';
import { fieldProblem, problem } from '../http/problems.js';
import { Turns } from '../http/turns.js';
import { NodeHub } from '../nodes/node-hub.js';
import { SignInBudget } from '../session/sign-in-budget.js';
import { CatalogueService } from './catalogue.service.js';
import { markCaller } from './caller-mark.js';

const ANSWER_MS = 30_000;
const KEEP_BYTES = 256 * 1024;
const AT_ONCE = 20;
const WAITING = 100;
/** Fields that say how a message travels, or who carries it: these are the portal's. RFC 9110 section 7.6.1. */
const OWN_FIELDS = /^(host|connection|content-length|transfer-encoding|upgrade|te|trailer|keep-alive|proxy-.*|expect|x-virga-.*)$/i;
/** Paths that some reader takes for another one: the API that is shown must be the one that is called. */
const ODD_PATH = /\\|%2f|%5c|%2e|\/\/|\/\.{1,2}(\/|$|;)/i;

/** Carries a call that somebody tries from a page of the portal: through the gateway, as any call, and from their own address. */
@Injectable()
export class AttemptsService {
  readonly #turns = new Turns(AT_ONCE, WAITING);
  readonly #budget = new SignInBudget({ burst: 30, everyMs: 1000, addresses: 10_000 });

  constructor(
    private readonly hub: NodeHub,
    private readonly catalogue: CatalogueService,
    @Inject(SETTINGS) private readonly settings: ServerSettings,
  ) {}

  /** @param address from where whoever tries it reached the portal */
  async run(input: AttemptInput, session: PortalSession, address: string): Promise<AttemptAnswer> {
    const { api } = await this.catalogue.find(session, input.apiId);
    const path = input.target.split('?')[0] ?? '';
    if (path !== api.basePath && !path.startsWith(`${api.basePath}/`)) throw fieldProblem('/target', `A call of ${api.name} begins with ${api.basePath}/`);
    if (this.catalogue.servedBy(path) !== api.id) throw fieldProblem('/target', `The path belongs to another API than ${api.name}`);
    if (ODD_PATH.test(path)) throw fieldProblem('/target', 'The path has a part that can be read in two ways');
    const foreign = input.headers.findIndex(({ name }) => OWN_FIELDS.test(name));
    if (foreign >= 0) throw fieldProblem(`/headers/${foreign}/name`, `${input.headers[foreign]?.name ?? ''} cannot be set here`);
    const waitMs = this.#budget.take(session.accountId, Date.now());
    if (waitMs > 0) throw problem(429, 'Too many tries', `Try again in ${Math.ceil(waitMs / 1000)} s. Your own programs are not held up by this.`);
    const done = await this.#turns.take();
    if (!done) throw problem(503, 'Too many try something at this moment', 'Try again in a moment.');
    try {
      return await this.#send(input, markCaller(address.replace(/^::ffff:/, ''), this.settings.nodeToken, Date.now()));
    } finally {
      done();
    }
  }

  #send(input: AttemptInput, mark: string): Promise<AttemptAnswer> {
    const url = this.hub.connected[0]?.status?.gatewayUrl;
    if (!url) throw problem(503, 'The gateway is away', 'Try again in a moment.');
    const gateway = new URL(url);
    const body = input.body === undefined || input.body === '' || input.method === 'GET' || input.method === 'HEAD' ? null : Buffer.from(input.body);
    const headers = [
      ...input.headers.flatMap(({ name, value }) => [name, value]),
      ...['host', gateway.host, CALLER_HEADER, mark],
      ...(body ? ['content-length', String(body.length)] : []),
    ];
    const startedAt = Date.now();
    return new Promise((resolve, reject) => {
      const request = httpRequest(
        { host: gateway.hostname, port: gateway.port, method: input.method, path: input.target, headers, setHost: false, timeout: ANSWER_MS, agent: false },
        (response) => {
          const parts: Buffer[] = [];
          let size = 0;
          response.on('data', (chunk: Buffer) => {
            if (size < KEEP_BYTES) parts.push(chunk);
            size += chunk.length;
            // A stream without an end is looked at for a while only.
            if (size > KEEP_BYTES * 16) response.destroy();
          });
          response.on('close', () => {
            const text = Buffer.concat(parts).subarray(0, KEEP_BYTES).toString('utf8');
            const flat = response.rawHeaders;
            resolve({
              status: response.statusCode ?? 0,
              headers: flat.flatMap((name, index) => (index % 2 === 0 ? [{ name, value: flat[index + 1] ?? '' }] : [])),
              body: text.includes('\u0000') ? null : text,
              bodyBytes: size,
              cut: size > KEEP_BYTES || !response.complete,
              tookMs: Date.now() - startedAt,
              requestId: String(response.headers[REQUEST_ID_HEADER] ?? ''),
            });
          });
          response.on('error', () => undefined);
        },
      );
      // Whole answers that never end are ended here too.
      const timer = setTimeout(() => request.destroy(new Error('no whole answer in time')), ANSWER_MS);
      request.on('timeout', () => request.destroy(new Error('no answer in time')));
      request.on('close', () => clearTimeout(timer));
      request.on('error', (error) => reject(problem(502, 'The gateway did not answer', error.message)));
      request.end(body ?? undefined);
    });
  }
}
