import {
  endingOf,
  isSecretName,
  readBasic,
  rulePointer,
  shorten,
  whoCalls,
  type Exchange,
  type Finding,
  type Operand,
  type Operands,
  type Redactor,
  type SentCredential,
  type StepTrace,
  type TracedCaller,
  type TraceRecord,
} from '@virga/core';
import type { IncomingHttpHeaders } from 'node:http';
import { traceIdOf } from '../listener/request-ids.js';

/** What the listener knows of a finished request beside its exchange. */
export interface FinishedRequest {
  readonly id: string;
  /** Its W3C Trace Context; empty where it has none. */
  readonly traceparent: string;
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

/** What a request was sent with, wherever it stood, and the release's own knowledge of secrets. @param headers all that came, where not all of them decide */
export function cleaningOf(exchange: Exchange, redactor: Redactor, headers: Exchange['headers'] = exchange.headers): Cleaning {
  const mark = exchange.target.indexOf('?');
  const found = redactor.credentialsOf(headers, mark < 0 ? '' : exchange.target.slice(mark));
  return { redactor, credentials: exchange.sent.length === 0 ? found : [...exchange.sent.flatMap(secretsOf), ...found] };
}

/** What nobody may read of a credential. The thumbprint of a certificate is no secret. */
function secretsOf({ kind, text }: SentCredential): string[] {
  if (kind === 'certificate') return [];
  const read = kind === 'basic' ? readBasic(text) : null;
  return read && 'secret' in read && read.secret.length >= 4 ? [text, read.secret] : [text];
}

/** The steps of an exchange as codes and operands. */
export function stepTraces(exchange: Exchange, cleaning: Cleaning): StepTrace[] {
  return exchange.steps.map((taken) => ({
    step: taken.step,
    outcome: taken.outcome,
    mode: taken.mode,
    rule: rulePointer(exchange, taken),
    code: taken.finding.code,
    operands: cleanOperands(taken.finding.operands, cleaning),
    tookUs: Math.round(taken.tookMs * 10_000) / 10,
  }));
}

/** Operands can hold what a caller wrote; what looks like a credential is taken out of them too. Copied only where something is. */
export function cleanOperands(operands: Operands, cleaning: Cleaning): Operands {
  let cleaned: Record<string, Operand> | null = null;
  for (const [name, value] of Object.entries(operands)) {
    const clean = cleanOperand(value, cleaning);
    if (clean !== value) (cleaned ??= { ...operands })[name] = clean;
  }
  return cleaned ?? operands;
}

function cleanOperand(value: Operand, { redactor, credentials }: Cleaning): Operand {
  if (typeof value === 'string') return redactor.text(value, credentials);
  if (!isList(value)) return value;
  const clean = value.map((item) => redactor.text(item, credentials));
  return clean.every((item, index) => item === value[index]) ? value : clean;
}

const isList = (value: Operand): value is readonly string[] => Array.isArray(value);

/** The trace of one request, with every credential taken out. Made only for requests whose trace is kept. */
export function buildTrace(node: string, exchange: Exchange, done: FinishedRequest): TraceRecord {
  const { redactor } = done;
  const cleaning = cleaningOf(exchange, redactor, done.requestHeaders);
  const { credentials } = cleaning;
  const clean = (text: string, length = 2000) => shorten(redactor.text(text, credentials), length);
  const query = exchange.target.indexOf('?');
  const ending = endingOf(exchange, done.found);
  const caller = whoCalls(exchange);
  return {
    id: done.id,
    traceId: traceIdOf(done.traceparent),
    at: done.at,
    node,
    release: done.release,
    method: shorten(exchange.method, 40),
    path: clean(query < 0 ? exchange.target : exchange.target.slice(0, query)),
    query: query < 0 ? '' : clean(exchange.target.slice(query)),
    apiId: exchange.api?.rule.id ?? null,
    operationId: exchange.operation?.rule.id ?? null,
    outcome: ending.outcome,
    status: done.status,
    step: ending.step,
    code: ending.code,
    address: done.address,
    providerId: caller?.providerId ?? null,
    subject: caller?.subject ? shorten(caller.subject) : null,
    client: caller?.client ? shorten(caller.client) : null,
    who: tracedCaller(exchange, clean),
    steps: stepTraces(exchange, cleaning),
    requestHeaders: Object.entries(done.requestHeaders).map(
      ([name, value]) => [clean(name, 200), shorten(redactor.header(name, String(value ?? ''), credentials), 1000)] as const,
    ),
    // The request's own id looks like a secret and is none.
    responseHeaders: pairs(done.responseHeaders).map(
      ([name, value]) => [name, value === done.id ? value : shorten(redactor.header(name, value, credentials), 1000)] as const,
    ),
    requestBytes: done.requestBytes,
    responseBytes: done.responseBytes,
    totalUs: Math.round(done.totalMs * 1000),
  };
}

/** So many values of one member of a caller are kept, and so many members of its own. */
const MOST_VALUES = 50;
const MOST_MEMBERS = 20;

function tracedCaller({ credentials }: Exchange, clean: (text: string, length?: number) => string): TracedCaller | null {
  if (credentials.length === 0) return null;
  const token = credentials.find((one) => one.kind === 'token');
  const texts = (values: readonly string[]): string[] => values.slice(0, MOST_VALUES).map((value) => clean(value, 200));
  const text = (value: string | null): string | null => (value === null ? null : clean(value, 200));
  const principal = token?.token.principal ?? null;
  return {
    principal: principal && {
      subject: text(principal.subject),
      client: text(principal.client),
      scopes: texts(principal.scopes),
      roles: texts(principal.roles),
      groups: texts(principal.groups),
      tenant: text(principal.tenant),
      acr: text(principal.acr),
      amr: texts(principal.amr),
      authTime: principal.authTime,
      attributes: Object.fromEntries(
        Object.entries(principal.attributes)
          .slice(0, MOST_MEMBERS)
          .map(([name, values]) => [name, isSecretName(name) ? [] : texts(values)]),
      ),
      ...(principal.unread === undefined ? {} : { unread: principal.unread }),
    },
    credentials: credentials.flatMap((one) => (one.kind === 'token' ? [] : [{ kind: one.kind, id: one.holder.credential.id }])),
  };
}

function pairs(flat: readonly string[]): [string, string][] {
  const out: [string, string][] = [];
  for (let index = 0; index + 1 < flat.length; index += 2) out.push([flat[index] as string, flat[index + 1] as string]);
  return out;
}
