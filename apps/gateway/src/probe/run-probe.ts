import { answerOf, endingOf, Exchange, finding, type Finding } from '@virga/core';
import type { ProbeAnswer, ProbeOutcome, ProbeRequest } from '@virga/protocol/node';
import { performance } from 'node:perf_hooks';
import { newRequestId, traceContext } from '../listener/request-ids.js';
import { nonceFor } from '../listener/nonce-for.js';
import type { LiveRelease } from '../live-release.js';
import { cleaningOf, cleanOperands, stepTraces } from '../records/build-trace.js';
import type { Carrier } from '../transit/carrier.js';
import { endToEnd } from '../transit/forward-headers.js';
import { Transit } from '../transit/transit.js';

/** Bytes of an answer's body that a probe keeps. */
const KEEP_BYTES = 256 * 1024;
/** Where a probe comes from that names no address: what a node sees of a control plane beside it. */
const OWN_ADDRESS = '127.0.0.1';

/** Decides a composed request by a release that is not live, and sends it up only when asked to. */
export async function runProbe(request: ProbeRequest, release: LiveRelease, forward: boolean, publicOrigin: string): Promise<ProbeOutcome> {
  const { method, target } = request;
  const body = request.body === null ? null : Buffer.from(request.body, 'base64');
  const given = fields(request.headers);
  const from = release.callerAddress(request.from ?? OWN_ADDRESS, given);
  const exchange = new Exchange({
    method,
    target,
    headers: endToEnd(given),
    from,
    origin: publicOrigin,
    certificate: request.certificate ?? null,
    body: body && { bytes: body.length },
  });
  const requestId = newRequestId();
  const carrier = new Collected(body, (found) => {
    const nonce = nonceFor(release.compiled, exchange);
    const { status, headers, body: text } = answerOf(found, exchange, { publicOrigin, requestId, nonce });
    return answerView(status, Object.entries(headers), [Buffer.from(text ?? '')]);
  });
  const facts = {
    address: from.address ?? 'unknown',
    host: new URL(publicOrigin).host,
    requestId,
    traceparent: traceContext(undefined),
    protocol: publicOrigin.startsWith('https:') ? ('https' as const) : ('http' as const),
    vouched: null,
    holder: 'the probe',
    arrivedAt: performance.now(),
    added: [],
  };
  const transit = new Transit(exchange, release, facts, carrier);
  const verdict = await transit.decide();
  if (verdict.kind === 'answer') carrier.answer(verdict.finding);
  else if (forward) {
    transit.forward();
    if (body !== null) transit.received(body);
    transit.receivedAll();
  } else {
    const refused = await Promise.race([carrier.done, new Promise<null>((resolve) => transit.takeIn(() => resolve(null)))]);
    if (body !== null) transit.received(body);
    transit.receivedAll();
    if (refused) return outcomeOf(exchange, release, refused.found, refused.answer);
    const address = (exchange.api && release.upstreams.get(exchange.api)?.address) ?? '';
    const found = finding('upstream.not-called', { address });
    exchange.took('upstream', found, 0);
    return outcomeOf(exchange, release, found, null);
  }
  const { found, answer } = await carrier.done;
  return outcomeOf(exchange, release, found, answer);
}

/** Takes the answer of a probe and keeps the beginning of its body. */
class Collected implements Carrier {
  readonly done: Promise<{ readonly found: Finding; readonly answer: ProbeAnswer | null }>;
  readonly #body: Buffer | null;
  readonly #own: (found: Finding) => ProbeAnswer;
  readonly #parts: Buffer[] = [];
  #size = 0;
  #status = 0;
  #headers: readonly string[] = [];
  #resolve: (result: { readonly found: Finding; readonly answer: ProbeAnswer | null }) => void = () => undefined;

  /** @param own what the gateway answers itself */
  constructor(body: Buffer | null, own: (found: Finding) => ProbeAnswer) {
    this.#body = body;
    this.#own = own;
    this.done = new Promise((resolve) => (this.#resolve = resolve));
  }

  body(): Buffer | null {
    return this.#body;
  }

  answer(found: Finding): void {
    this.#resolve({ found, answer: this.#own(found) });
  }

  start(status: number, headers: readonly string[]): void {
    this.#status = status;
    this.#headers = headers;
  }

  data(chunk: Buffer): boolean {
    if (this.#size < KEEP_BYTES) this.#parts.push(chunk);
    this.#size += chunk.length;
    return true;
  }

  end(found: Finding): void {
    this.#resolve({ found, answer: answerView(this.#status, pairs(this.#headers), this.#parts, this.#size) });
  }

  cut(found: Finding): void {
    this.end(found);
  }
}

function outcomeOf(exchange: Exchange, release: LiveRelease, found: Finding, answer: ProbeAnswer | null): ProbeOutcome {
  const cleaning = cleaningOf(exchange, release.redactor);
  const { outcome, code } = endingOf(exchange, found);
  return {
    outcome,
    code,
    operands: cleanOperands(found.operands, cleaning),
    steps: stepTraces(exchange, cleaning),
    apiId: exchange.api?.rule.id ?? null,
    operationId: exchange.operation?.rule.id ?? null,
    answer,
  };
}

function answerView(
  status: number,
  headers: [string, string][],
  parts: readonly Buffer[],
  size = parts.reduce((sum, part) => sum + part.length, 0),
): ProbeAnswer {
  const kept = Buffer.concat(parts).subarray(0, KEEP_BYTES);
  const text = kept.toString('utf8');
  return { status, headers, body: text.includes('\u0000') ? null : text, bodyBytes: size, truncated: size > KEEP_BYTES };
}

/** Header fields as the listener would see them: names in lower case, repeats joined. */
function fields(headers: ProbeRequest['headers']): Record<string, string> {
  const out: Record<string, string> = {};
  for (const [name, value] of headers) {
    const key = name.toLowerCase();
    // Joined as the listener's parser joins them.
    out[key] = Object.hasOwn(out, key) ? out[key] + (key === 'cookie' ? '; ' : ', ') + value : value;
  }
  return out;
}

function pairs(flat: readonly string[]): [string, string][] {
  const out: [string, string][] = [];
  for (let index = 0; index + 1 < flat.length; index += 2) out.push([flat[index] as string, flat[index + 1] as string]);
  return out;
}
