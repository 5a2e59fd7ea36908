import { entryOf, shorten, type Exchange, type Finding, type Redactor, type StepId, type StepTrace, type TraceRecord } from '@virga/core';
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
  /** What the release of the request takes out of traces. */
  readonly redactor: Redactor;
}

/** What is taken out of the texts of one request. */
export interface Cleaning {
  readonly redactor: Redactor;
  readonly credentials: readonly string[];
}

/** What a request was sent with, wherever it stood, and the release's own knowledge of secrets. */
export function cleaningOf(exchange: Exchange, redactor: Redactor): Cleaning {
  const mark = exchange.target.indexOf('?');
  const found = redactor.credentialsOf(exchange.headers, mark < 0 ? '' : exchange.target.slice(mark));
  return { redactor, credentials: exchange.credential === null ? found : [exchange.credential, ...found] };
}

/** The steps of an exchange as codes and operands. */
export function stepTraces(exchange: Exchange, cleaning: Cleaning): StepTrace[] {
  return exchange.steps.map(({ step, finding, tookMs }) => ({
    step,
    outcome: entryOf(finding.code).outcome,
    code: finding.code,
    operands: cleanOperands(finding.operands, cleaning),
    tookUs: Math.round(tookMs * 10_000) / 10,
  }));
}

/** Operands can hold what a caller wrote; what looks like a credential is taken out of them too. */
export function cleanOperands(operands: Finding['operands'], { redactor, credentials }: Cleaning): Finding['operands'] {
  return Object.fromEntries(
    Object.entries(operands).map(([name, value]): [string, Finding['operands'][string]] => {
      if (typeof value === 'string') return [name, redactor.text(value, credentials)];
      return [name, Array.isArray(value) ? (value as string[]).map((item) => redactor.text(item, credentials)) : value];
    }),
  );
}

/** The trace of one request, with every credential taken out. Made only for requests whose trace is kept. */
export function buildTrace(node: string, exchange: Exchange, done: FinishedRequest): TraceRecord {
  const { redactor } = done;
  const cleaning = cleaningOf(exchange, redactor);
  const { credentials } = cleaning;
  const clean = (text: string, length = 2000) => shorten(redactor.text(text, credentials), length);
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
    steps: stepTraces(exchange, cleaning),
    requestHeaders: Object.entries(done.requestHeaders).map(
      ([name, value]) => [clean(name, 200), shorten(redactor.header(name, String(value ?? ''), credentials), 1000)] as const,
    ),
    responseHeaders: pairs(done.responseHeaders).map(([name, value]) => [name, shorten(redactor.header(name, value, credentials), 1000)] as const),
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

function pairs(flat: readonly string[]): [string, string][] {
  const out: [string, string][] = [];
  for (let index = 0; index + 1 < flat.length; index += 2) out.push([flat[index] as string, flat[index + 1] as string]);
  return out;
}
