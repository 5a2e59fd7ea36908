import { answerOf, decide, endingOf, Exchange, finding, type Finding } from '@virga/core';
import type { ProbeAnswer, ProbeOutcome, ProbeRequest } from '@virga/protocol';
import type { IncomingHttpHeaders } from 'node:http';
import { performance } from 'node:perf_hooks';
import { headersUp, headersBack, queryUp } from '../listener/forward-headers.js';
import { newRequestId, traceContext } from '../listener/request-ids.js';
import { nonceFor } from '../listener/nonce-for.js';
import type { LiveRelease } from '../live-release.js';
import { cleaningOf, cleanOperands, stepTraces } from '../records/build-trace.js';
import { Forwarding } from '../upstream/forward.js';

/** Bytes of an answer's body that a probe keeps. */
const KEEP_BYTES = 256 * 1024;

/** Decides a composed request by a release that is not live, and sends it up only when asked to. */
export async function runProbe(request: ProbeRequest, release: LiveRelease, forward: boolean, publicOrigin: string): Promise<ProbeOutcome> {
  const { method, target } = request;
  const exchange = new Exchange({ method, target, headers: fields(request.headers), origin: publicOrigin, certificate: request.certificate ?? null });
  const requestId = newRequestId();
  const verdict = await decide(release.compiled, exchange);
  if (verdict.kind === 'answer') {
    const answer = answerOf(verdict.finding, exchange, { publicOrigin, requestId, nonce: nonceFor(release.compiled, exchange) });
    const body = Buffer.from(answer.body ?? '');
    return outcomeOf(exchange, release, verdict.finding, answerView(answer.status, Object.entries(answer.headers), [body], body.length));
  }
  const upstream = exchange.api ? release.upstreams.get(exchange.api) : undefined;
  if (!exchange.api || !upstream) throw new Error('invariant: a request that passed has an upstream');
  if (!forward) {
    const found = finding('upstream.not-called', { address: upstream.address });
    exchange.took('upstream', found, 0);
    return outcomeOf(exchange, release, found, null);
  }
  const startedAt = performance.now();
  const body = request.body === null ? null : Buffer.from(request.body, 'base64');
  const headers = headersUp(exchange.headers as IncomingHttpHeaders, {
    address: '127.0.0.1',
    host: new URL(publicOrigin).host,
    requestId,
    traceparent: traceContext(undefined).traceparent,
    protocol: publicOrigin.startsWith('https:') ? 'https' : 'http',
    withheld: exchange.operation?.withheld ?? [],
    vouched: null,
    ruled: release.certificateHeader,
  });
  const path = upstream.prefix + exchange.below + queryUp(exchange);
  const { found, answer } = await new Promise<{ found: Finding; answer: ProbeAnswer | null }>((resolve) => {
    const parts: Buffer[] = [];
    let size = 0;
    let status = 0;
    let answerHeaders: string[] = [];
    const forwarding = new Forwarding(
      upstream,
      { method, path, headers, body, caller: 'the probe', arrivedAt: startedAt },
      {
        start: (code, received) => {
          status = code;
          answerHeaders = headersBack(received, {});
        },
        data: (chunk) => {
          if (size < KEEP_BYTES) parts.push(chunk);
          size += chunk.length;
          return true;
        },
        end: () =>
          resolve({
            found: finding('upstream.answered', { status, address: upstream.address }),
            answer: answerView(status, pairs(answerHeaders), parts, size),
          }),
        fail: (failure) => resolve({ found: failure, answer: null }),
      },
    );
    forwarding.send();
  });
  exchange.took('upstream', found, performance.now() - startedAt);
  return outcomeOf(exchange, release, found, answer);
}

function outcomeOf(exchange: Exchange, release: LiveRelease, found: Finding, answer: ProbeAnswer | null): ProbeOutcome {
  const cleaning = cleaningOf(exchange, release.redactor);
  return {
    outcome: endingOf(exchange, found).outcome,
    code: found.code,
    operands: cleanOperands(found.operands, cleaning),
    steps: stepTraces(exchange, cleaning),
    apiId: exchange.api?.rule.id ?? null,
    operationId: exchange.operation?.rule.id ?? null,
    answer,
  };
}

function answerView(status: number, headers: [string, string][], parts: Buffer[], size: number): ProbeAnswer {
  const kept = Buffer.concat(parts).subarray(0, KEEP_BYTES);
  const text = kept.toString('utf8');
  return { status, headers, body: text.includes('\u0000') ? null : text, bodyBytes: size, truncated: size > KEEP_BYTES };
}

/** Header fields as the listener would see them: names in lower case, repeats joined. */
function fields(headers: ProbeRequest['headers']): Record<string, string> {
  const out: Record<string, string> = {};
  for (const [name, value] of headers) {
    const key = name.toLowerCase();
    out[key] = out[key] === undefined ? value : `${out[key]}, ${value}`;
  }
  return out;
}

function pairs(flat: readonly string[]): [string, string][] {
  const out: [string, string][] = [];
  for (let index = 0; index + 1 < flat.length; index += 2) out.push([flat[index] as string, flat[index + 1] as string]);
  return out;
}
