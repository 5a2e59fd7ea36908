import { entryOf, redactHeader, redactText, shorten, type Exchange, type Finding, type StepId, type StepTrace, type TraceRecord } from '@virga/core';
import type { IncomingHttpHeaders } from 'node:http';

/** What the listener knows of a finished request beside its exchange. */
export interface FinishedRequest {
  readonly id: string;
  readonly traceId: string;
  readonly at: number;
  readonly release: number;
  readonly address: string;
  readonly status: number;
  readonly found: Finding;
  readonly requestHeaders: IncomingHttpHeaders;
  readonly responseHeaders: readonly string[];
  readonly requestBytes: number;
  readonly responseBytes: number;
  readonly totalMs: number;
}

/** The steps of an exchange as codes and operands. */
export function stepTraces(exchange: Exchange): StepTrace[] {
  return exchange.steps.map(({ step, finding, tookMs }) => ({
    step,
    outcome: entryOf(finding.code).outcome,
    code: finding.code,
    operands: cleanOperands(finding.operands, exchange.credential),
    tookUs: Math.round(tookMs * 10_000) / 10,
  }));
}

/** Operands can hold what a caller wrote; what looks like a credential is taken out of them too. */
export function cleanOperands(operands: Finding['operands'], credential: string | null): Finding['operands'] {
  return Object.fromEntries(
    Object.entries(operands).map(([name, value]): [string, Finding['operands'][string]] => {
      if (typeof value === 'string') return [name, redactText(value, credential)];
      return [name, Array.isArray(value) ? (value as string[]).map((item) => redactText(item, credential)) : value];
    }),
  );
}

/** The trace of one request, with every credential taken out. Made only for requests whose trace is kept. */
export function buildTrace(node: string, exchange: Exchange, done: FinishedRequest): TraceRecord {
  const credential = exchange.credential ?? bareCredential(done.requestHeaders.authorization);
  const clean = (text: string, length = 2000) => shorten(redactText(text, credential), length);
  const query = exchange.target.indexOf('?');
  const entry = entryOf(done.found.code);
  return {
    id: done.id,
    traceId: done.traceId,
    at: done.at,
    node,
    release: done.release,
    method: shorten(exchange.method, 40),
    path: clean(query < 0 ? exchange.target : exchange.target.slice(0, query)),
    query: query < 0 ? '' : clean(exchange.target.slice(query)),
    apiId: exchange.api?.rule.id ?? null,
    operationId: exchange.operation?.rule.id ?? null,
    outcome: entry.outcome === 'refuse' ? 'refused' : 'passed',
    status: done.status,
    step: decidingStep(exchange, done.found),
    code: done.found.code,
    address: done.address,
    providerId: exchange.principal?.providerId ?? null,
    subject: exchange.principal?.subject ? shorten(exchange.principal.subject) : null,
    client: exchange.principal?.client ? shorten(exchange.principal.client) : null,
    steps: stepTraces(exchange),
    requestHeaders: Object.entries(done.requestHeaders).map(
      ([name, value]) => [name, shorten(redactHeader(name, String(value ?? ''), credential), 1000)] as const,
    ),
    responseHeaders: pairs(done.responseHeaders).map(([name, value]) => [name, shorten(redactHeader(name, value, credential), 1000)] as const),
    requestBytes: done.requestBytes,
    responseBytes: done.responseBytes,
    totalUs: Math.round(done.totalMs * 1000),
  };
}

/** The step that decided: a fault is blamed on the step it happened in. */
export function decidingStep(exchange: Exchange, found: Finding): StepId {
  return exchange.steps[exchange.steps.length - 1]?.finding === found
    ? (exchange.steps[exchange.steps.length - 1]?.step ?? 'message')
    : entryOf(found.code).step;
}

/** The credential of an Authorization header that no step took up, so that it is removed wherever it stands. */
function bareCredential(header: string | undefined): string | null {
  return header === undefined ? null : header.replace(/^[A-Za-z][\w-]* +/, '').trim() || null;
}

function pairs(flat: readonly string[]): [string, string][] {
  const out: [string, string][] = [];
  for (let index = 0; index + 1 < flat.length; index += 2) out.push([flat[index] as string, flat[index + 1] as string]);
  return out;
}
