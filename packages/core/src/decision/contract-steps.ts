import type { Deviation } from '../contract/check/deviation.js';
import type { BodyVerdict } from '../contract/check/body-check.js';
import type { OperationContract } from '../contract/check/operation-contract.js';
import { cookiePairs, queryPairs } from '../contract/check/parameter-style.js';
import type { DeclaredScheme } from '../contract/check/declared-security.js';
import { CONTRACT_PARTS, looksAtContract, type ContractPart, type ContractRule } from '../document/contract-rule.js';
import type { CheckMode, ModeRule } from '../document/modes.js';
import { finding, type Finding } from '../verdict/codes.js';
import { shorten } from '../token/verify-token.js';
import type { Check, CompiledStep } from './compiled.js';
import { fieldText, type Exchange } from './exchange.js';
import type { BodyNeed } from './phases.js';

/** The checks of a contract, phase by phase. */
export interface CompiledContract {
  readonly head: readonly CompiledStep[];
  readonly requestContent: readonly CompiledStep[];
  readonly answerHead: readonly CompiledStep[];
  readonly answerContent: readonly CompiledStep[];
  readonly needs: { readonly requestContent: BodyNeed | null; readonly answerContent: BodyNeed | null };
}

const NOTHING: CompiledContract = Object.freeze({
  head: [],
  requestContent: [],
  answerHead: [],
  answerContent: [],
  needs: { requestContent: null, answerContent: null },
});

type Findings = Readonly<Record<Exclude<ContractPart, 'contract-security'>, Finding>>;

/** What is found where a part is kept to: made once, because most requests keep to it. */
const MEETS: Findings = {
  'contract-path': finding('contract-path.meets', {}),
  'contract-query': finding('contract-query.meets', {}),
  'contract-header': finding('contract-header.meets', {}),
  'contract-cookie': finding('contract-cookie.meets', {}),
  'contract-type': finding('contract-type.meets', {}),
  'contract-body': finding('contract-body.meets', {}),
  'contract-status': finding('contract-status.meets', {}),
  'contract-fields': finding('contract-fields.meets', {}),
  'contract-answer': finding('contract-answer.meets', {}),
};

/** So many places that differ are named. */
const MOST_PLACES = 10;

type Part = keyof Findings;

function found(part: Part, deviations: readonly Deviation[]): Finding {
  const [first] = deviations;
  if (first === undefined) return MEETS[part];
  const { name, at, rule, keyword, wanted, found: seen, member = null } = first;
  const places = [...new Set(deviations.map((one) => [one.name, one.at].filter(Boolean).join(' ')))].slice(0, MOST_PLACES);
  return finding(`${part}.differs`, {
    name,
    at,
    rule,
    keyword,
    wanted,
    found: seen,
    member: member === null ? null : shorten(member, 100),
    more: deviations.length - 1,
    places,
  });
}

/**
 * Compiles the steps of a contract. Whole APIs and operations that only observe do so here too, whatever their parts say.
 * @param modes those of the other checks
 */
export function compileContract(rule: ContractRule, modes: ModeRule): CompiledContract {
  if (!looksAtContract(rule)) return NOTHING;
  const modeOfPart = (part: ContractPart): CheckMode | null => {
    const mode = rule.parts[part];
    if (mode === 'off') return null;
    return modes.all === 'observe' ? 'observe' : mode;
  };
  const step = (part: ContractPart, run: Check['run']): CompiledStep[] => {
    const mode = modeOfPart(part);
    return mode === null ? [] : [{ step: part, about: null, mode, run, hangsOn: { kind: 'contract' } }];
  };
  /** A part of a contract that was found; where none was, the first step has said so. */
  const part = (name: Part, of: (contract: OperationContract, exchange: Exchange) => readonly Deviation[]): CompiledStep[] =>
    step(name, (exchange) => {
      const contract = exchange.operation?.contract;
      return contract ? found(name, of(contract, exchange)) : missing(exchange);
    });
  const strictest: CheckMode = CONTRACT_PARTS.some((name) => modeOfPart(name) === 'enforce') ? 'enforce' : 'observe';
  const body = step('contract-body', requestBody);
  const answer = step('contract-answer', answerBody);
  const need = (mode: CheckMode | null): BodyNeed | null =>
    mode === null ? null : { limit: rule.bodyBytes, hold: mode === 'enforce', larger: rule.largerBody };
  return {
    head: [
      { step: 'contract', about: null, mode: strictest, run: findContract, hangsOn: { kind: 'contract' } },
      ...part('contract-path', (contract, exchange) => contract.path((name) => segmentOf(exchange, name))),
      ...part('contract-query', (contract, exchange) => contract.query(exchange.query, queryCredentials(exchange))),
      ...part('contract-header', (contract, exchange) =>
        contract.header(
          (name) => exchange.header(name),
          () => Object.keys(exchange.headers),
        ),
      ),
      ...part('contract-cookie', (contract, exchange) => contract.cookie(exchange.header('cookie'))),
      ...step('contract-security', declaredCredential),
      ...part('contract-type', (contract, exchange) => contract.type(exchange.header('content-type'), exchange.body !== null)),
    ],
    requestContent: body,
    answerHead: [
      ...part('contract-status', (contract, { answer: seen }) => (seen === null ? [] : contract.status(seen.status))),
      ...part('contract-fields', (contract, { answer: seen }) =>
        seen === null ? [] : contract.fields(seen.status, (name) => fieldText(seen.headers[name]), !seen.bodyless),
      ),
    ],
    answerContent: answer,
    needs: { requestContent: need(body[0]?.mode ?? null), answerContent: need(answer[0]?.mode ?? null) },
  };
}

function findContract(exchange: Exchange): Finding {
  const contract = exchange.operation?.contract;
  return contract ? contract.foundFinding : missing(exchange);
}

/** Why there is nothing to hold a request against. */
function missing({ api, operation }: Exchange): Finding {
  const reason = api?.contract.reason ?? 'there is none';
  return api?.contract.source ? finding('contract.not-described', { operation: operation?.label ?? '' }) : finding('contract.unavailable', { reason });
}

function segmentOf({ operation, parameters }: Exchange, name: string): string | undefined {
  const index = operation?.parameterNames.indexOf(name) ?? -1;
  return index < 0 ? undefined : parameters[index];
}

const NO_NAMES: ReadonlySet<string> = new Set();

/** Names of query parameters that hold credentials: they have checks of their own. */
function queryCredentials({ operation, api }: Exchange): ReadonlySet<string> {
  const places = [...(operation?.withheld ?? []), ...(operation?.token.places ?? []), ...(api?.rule.schemes.flatMap(({ place }) => place ?? []) ?? [])];
  const names = places.flatMap((place) => (place.kind === 'query' ? [place.name] : []));
  return names.length === 0 ? NO_NAMES : new Set(names);
}

function declaredCredential(exchange: Exchange): Finding {
  const contract = exchange.operation?.contract;
  if (!contract) return missing(exchange);
  const { alternatives } = contract.security;
  if (alternatives.length === 0) return finding('contract-security.meets', { schemes: [] });
  const held = alternatives.find((schemes) => schemes.every((scheme) => wasSent(scheme, exchange)));
  return held
    ? finding('contract-security.meets', { schemes: held.map(({ name }) => name) })
    : finding('contract-security.differs', { wanted: alternatives.map((schemes) => schemes.map(({ name }) => name).join(' with ')) });
}

/** Whether something was sent where a scheme has its credential; whether it is good is for other checks. */
function wasSent(scheme: DeclaredScheme, exchange: Exchange): boolean {
  switch (scheme.kind) {
    case 'header':
      return (exchange.header(scheme.at) ?? '') !== '';
    case 'query':
      return queryPairs(exchange.query).some(([name, value]) => decoded(name) === scheme.at && value !== '');
    case 'cookie':
      return cookiePairs(exchange.header('cookie') ?? '').some(([name, value]) => name === scheme.at && value !== '');
    case 'token':
      return exchange.sent.some(({ kind }) => kind === 'token') || /^(?:bearer|dpop) +\S/i.test(exchange.header('authorization') ?? '');
    case 'authorization':
      return (exchange.header('authorization') ?? '').toLowerCase().startsWith(`${scheme.at} `);
    case 'certificate':
      return exchange.certificate !== null;
    case 'unknown':
      return false;
  }
}

function decoded(text: string): string | null {
  try {
    return decodeURIComponent(text.replaceAll('+', ' '));
  } catch {
    return null;
  }
}

function requestBody(exchange: Exchange): Finding {
  const contract = exchange.operation?.contract;
  if (!contract) return missing(exchange);
  const { body } = exchange;
  const type = exchange.header('content-type');
  if (body === null) return bodyFinding('contract-body', contract.body(type, null));
  const { content } = body;
  switch (content?.kind) {
    case 'bytes':
      return bodyFinding('contract-body', contract.body(type, content.bytes));
    case 'larger':
      return content.pass
        ? finding('contract-body.unchecked', { reason: `it has more than ${content.limit} bytes` })
        : finding('contract-body.too-large', { limit: content.limit });
    case 'coded':
      return finding('contract-body.coded', { coding: content.coding });
    case 'no-room':
      return finding('contract-body.no-room', { limit: content.limit });
    case 'unfinished':
      return finding('contract-body.unchecked', { reason: 'the answer came before its end' });
    case undefined:
      throw new Error('invariant: the body that a contract is held against was held');
  }
}

function answerBody(exchange: Exchange): Finding {
  const contract = exchange.operation?.contract;
  if (!contract) return missing(exchange);
  const { answer } = exchange;
  const content = answer?.content;
  switch (content?.kind) {
    case 'bytes':
      return bodyFinding('contract-answer', contract.answer(answer?.status ?? 0, fieldText(answer?.headers['content-type']), content.bytes));
    case 'larger':
      return content.pass
        ? finding('contract-answer.unchecked', { reason: `it has more than ${content.limit} bytes` })
        : finding('contract-answer.too-large', { limit: content.limit });
    case 'coded':
      return finding('contract-answer.coded', { coding: content.coding });
    case 'no-room':
      return finding('contract-answer.no-room', { limit: content.limit });
    case 'unfinished':
      return finding('contract-answer.unchecked', { reason: 'it is a stream' });
    case undefined:
      throw new Error('invariant: the answer that a contract is held against was held');
  }
}

function bodyFinding(part: 'contract-body' | 'contract-answer', { deviations, unchecked }: BodyVerdict): Finding {
  return unchecked !== null && deviations.length === 0 ? finding(`${part}.unchecked`, { reason: unchecked }) : found(part, deviations);
}
