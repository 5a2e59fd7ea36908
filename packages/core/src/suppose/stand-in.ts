import { describeAddresses } from '../address/describe-addresses.js';
import type { MemberPath } from '../condition/member-paths.js';
import { findingsOf } from '../decision/condition-step.js';
import { compileVariables } from '../decision/condition-variables.js';
import type { CheckGrounds, CompiledStep } from '../decision/compiled.js';
import type { Exchange } from '../decision/exchange.js';
import type { Ports } from '../decision/ports.js';
import { finding, type Code, type Finding } from '../verdict/codes.js';

/** Facts that a supposed request does not have. */
export interface Unknown {
  readonly hour: boolean;
  readonly address: boolean;
  /** Path parameters, query and header fields. */
  readonly request: boolean;
  /** What authorizers answer: all of them, or services alone where scripts can be run, as far as they come to an end in their time. */
  readonly authorizers: 'all' | 'services' | 'none';
  /** Whether every limit is used up; left out, all of them have room. */
  readonly limits?: 'spent';
  /** Whether whoever holds a token that is bound to a key holds the key too; left out, it does. */
  readonly possession?: 'supposed' | 'asked';
}

type ConditionGrounds = Extract<CheckGrounds, { readonly kind: 'condition' }>;

/**
 * Puts in place of a check that hangs on unknown facts one that says on which; where what is known decides already, the
 * check's own finding stays.
 * @param isVague whether what the exchange's token says beside its rights is not known either
 */
export function standIn(step: CompiledStep, unknown: Unknown, isVague: (exchange: Exchange) => boolean, ports: Pick<Ports, 'now' | 'directory'>): CompiledStep {
  if (step.step === 'proof' && unknown.possession !== 'asked') return { ...step, run: (exchange) => supposeProof(step.run(exchange)) };
  const grounds = step.hangsOn;
  if (!grounds) return step;
  if (grounds.kind === 'address') {
    const found = finding('address.not-known', { rule: describeAddresses(grounds.rule) });
    return unknown.address ? { ...step, run: () => found } : step;
  }
  if (grounds.kind === 'authorizer') {
    const found = finding('authorizer.not-known', { name: grounds.rule.name });
    const unasked = unknown.authorizers === 'all' || (unknown.authorizers === 'services' && grounds.rule.by.kind === 'service');
    if (unasked) return { ...step, run: () => found };
    const hidesBody = step.readsBody === true;
    return { ...step, run: (exchange) => (hidesBody && bodyIsUnknown(exchange) ? found : inItsTime(step.run(exchange), found)) };
  }
  if (grounds.kind === 'limit') {
    const found = finding('limit.supposed', { limits: grounds.names });
    return unknown.limits === 'spent' ? step : { ...step, run: () => found };
  }
  // What a request holds beside its head nobody has supposed.
  if (grounds.kind === 'contract') return { ...step, run: () => SUPPOSED_CONTRACT };
  if (grounds.kind === 'sensitive') return { ...step, run: () => SUPPOSED_HARMLESS };
  return { ...step, run: conditionInPart(step, grounds, unknown, isVague, ports) };
}

/** Whoever holds a token that is bound to a key is supposed to hold the key too. */
function supposeProof(found: Finding | Promise<Finding>): Finding | Promise<Finding> {
  if (found instanceof Promise) return found.then((later) => supposeProof(later));
  return found.code === 'proof.missing' ? SUPPOSED : found;
}

/** What a script comes to on another machine, at another time, nobody knows of one that came to no end here: it refuses nothing here. */
function inItsTime(found: Finding | Promise<Finding>, notKnown: Finding): Finding | Promise<Finding> {
  if (found instanceof Promise) return found.then((later) => inItsTime(later, notKnown));
  return UNTIMELY.has(found.code) ? notKnown : found;
}

const UNTIMELY: ReadonlySet<Code> = new Set<Code>(['authorizer.time', 'authorizer.busy', 'authorizer.unavailable']);

const SUPPOSED_HARMLESS = finding('sensitive.supposed', {});
const SUPPOSED_CONTRACT = finding('contract.supposed', {});
const SUPPOSED = finding('proof.supposed', {});

/** Whether a body is supposed, and nothing of what it says. */
const bodyIsUnknown = ({ body }: Exchange): boolean => body !== null && body.content === null;

/** Runs a condition with what is known: it holds, it does not, or it hangs on something. */
function conditionInPart(
  step: CompiledStep,
  { name, condition, variablesOf }: ConditionGrounds,
  unknown: Unknown,
  isVague: (exchange: Exchange) => boolean,
  { now, directory }: Pick<Ports, 'now' | 'directory'>,
): CompiledStep['run'] {
  const find = findingsOf({ name, condition });
  const hidden = {
    clear: condition.looksAt.filter((path) => isUnknown(path, unknown, false)),
    vague: condition.looksAt.filter((path) => isUnknown(path, unknown, true)),
  };
  const ofBody = condition.looksAt.filter(isOfBody);
  const besideBody = compileVariables(condition.looksAt.filter((path) => !isOfBody(path)));
  return (exchange) => {
    const heads = isVague(exchange) ? hidden.vague : hidden.clear;
    const bodyMissing = ofBody.length > 0 && bodyIsUnknown(exchange);
    const missing = bodyMissing ? [...heads, ...ofBody] : heads;
    if (missing.length === 0) return step.run(exchange);
    const notKnown = finding('condition.not-known', { name, facts: [...new Set(missing.map(wordsOf))] });
    let variables: Record<string, unknown>;
    try {
      variables = without((bodyMissing ? besideBody : variablesOf)(exchange, now(), directory()), missing);
    } catch {
      return notKnown;
    }
    // What asks whether something is there would take what is not known for what is not there.
    if (!asksForPresence(condition.source, missing)) {
      const result = condition.evaluate(variables);
      return result.kind === 'error' ? notKnown : find(result, variables);
    }
    const known = condition.parts().filter(({ part }) => !part.looksAt.some((path) => missing.some((other) => isWithin(path, other) || isWithin(other, path))));
    const failing = known.find(({ run }) => run(variables) === false);
    return failing ? find({ kind: 'not-met', part: failing.part }, variables) : notKnown;
  };
}

function isUnknown([root, name]: MemberPath, unknown: Unknown, vague: boolean): boolean {
  if (root === 'now') return unknown.hour;
  // Of a token that was described, roles and scopes are all that is known.
  if (root === 'principal') return vague && !KNOWN_OF_VAGUE.has(name ?? '');
  if (root !== 'request') return false;
  if (name === 'method' || name === 'operation' || name === 'body') return false;
  return name === 'address' ? unknown.address : unknown.request;
}

/** Of a body it is said by the request whether it is known. */
const isOfBody = ([root, name]: MemberPath): boolean => root === 'request' && (name === 'body' || name === undefined);

const KNOWN_OF_VAGUE: ReadonlySet<string> = new Set(['roles', 'scopes', 'issuer', 'provider']);

const isWithin = (path: MemberPath, of: MemberPath): boolean => of.every((name, index) => path[index] === name);

/** Takes members away: to look at them is an error then, which no part of the condition can hide. */
function without(variables: Record<string, unknown>, missing: readonly MemberPath[]): Record<string, unknown> {
  const left = { ...variables };
  for (const path of missing) {
    if (path.length === 1) {
      const [root = ''] = path;
      if (root === 'now') delete left[root];
      else left[root] = new Map();
      continue;
    }
    let map: unknown = left[path[0] as string];
    for (const name of path.slice(1, -1)) map = map instanceof Map ? map.get(name) : undefined;
    if (map instanceof Map) map.delete(path[path.length - 1]);
  }
  return left;
}

/** Whether a condition asks if something unknown is there, by has(), by `in`, or by anything else that looks at all of a map. */
const asksForPresence = (source: string, missing: readonly MemberPath[]): boolean =>
  /\bhas\s*\(/.test(source) || missing.some(([root, name, member]) => root !== 'now' && member === undefined && (name === undefined || MAPS.has(name)));

const MAPS: ReadonlySet<string> = new Set(['parameters', 'query', 'headers', 'attributes', 'body']);

/** A member in words. */
function wordsOf([root = '', name, member]: MemberPath): string {
  if (root === 'now') return 'the hour';
  if (root === 'principal') return `what the token says (${[name, member].filter(Boolean).join('.') || 'all of it'})`;
  switch (name) {
    case 'parameters':
      return member === undefined ? 'the path parameters' : `the path parameter ${member}`;
    case 'query':
      return member === undefined ? 'the query' : `the query parameter ${member}`;
    case 'headers':
      return member === undefined ? 'the header fields' : `the header ${member}`;
    case 'address':
      return 'the address';
    case 'body':
      return member === undefined ? 'the body' : `the body (${member})`;
    default:
      return name === undefined ? 'the request' : `the ${name}`;
  }
}
