import { celEnv, isCelError, plan } from '@bufbuild/cel';
import { RE2JS } from '@bufbuild/re2';
import { LRUCache } from 'lru-cache';
import { CONDITION_BOUNDS } from '../document/condition-rule.js';
import { beginSteps, BOUNDING_FUNCTIONS, boundExpression, stepsRanOut } from './bound-condition.js';
import { checkCondition } from './check-condition.js';
import type { ConditionFault } from './condition-fault.js';
import { inputOf, type ConditionScope } from './condition-input.js';
import { parseCondition, type Expression, type ParsedCondition } from './parse-condition.js';
import { pathsOf, type MemberPath } from './member-paths.js';
import { cutAtAnd } from './cut-at-and.js';
import { lookAtVariables, plainlyTrue, type Holds } from './plainly-true.js';
import { presentMembers } from './present-members.js';
import { zonedMethods } from './zoned-time.js';

/** What an evaluation came to: yes, no, or an error with its place. */
export type ConditionResult =
  | { readonly kind: 'met' }
  | { readonly kind: 'not-met'; readonly part: ConditionPart }
  | { readonly kind: 'error'; readonly at: number; readonly says: string };

/** A part of a condition that all of it hangs on: one of those that `&&` joins. */
export interface ConditionPart {
  readonly source: string;
  readonly at: number;
  readonly looksAt: readonly MemberPath[];
}

export interface CompiledCondition {
  readonly source: string;
  readonly looksAt: readonly MemberPath[];
  /** @param variables by their names, as `inputOf` describes them; what is not known is left out */
  readonly evaluate: (variables: Readonly<Record<string, unknown>>) => ConditionResult;
  /** What is true where it plainly holds; null where it has to be evaluated. False says nothing. */
  readonly plainly: Holds | null;
  /** Its parts, each to be evaluated alone: true, false, or anything else where it comes to no answer. */
  readonly parts: () => readonly { readonly part: ConditionPart; readonly run: (variables: Readonly<Record<string, unknown>>) => unknown }[];
}

presentMembers();
const patterns = new LRUCache<string, RE2JS>({ max: 500 });
const environment = celEnv({
  funcs: [...zonedMethods(), ...BOUNDING_FUNCTIONS],
  // Patterns in linear time (RE2), each made once.
  re2: {
    compile: (pattern) => {
      let known = patterns.get(pattern);
      if (!known) patterns.set(pattern, (known = RE2JS.compile(pattern)));
      return known;
    },
  },
});

const MET: ConditionResult = { kind: 'met' };
type Evaluate = (variables: Readonly<Record<string, unknown>>) => ConditionResult;
/** What was made of a source in a scope, for all operations, releases and questions that share it. */
const made = new LRUCache<string, CompiledCondition | readonly ConditionFault[]>({ max: 2000 });

/**
 * Makes a condition ready to decide with. What is wrong with it is said, with its place.
 * @param scope what it is held against
 */
export function compileCondition(source: string, scope: ConditionScope): CompiledCondition | readonly ConditionFault[] {
  // What is too long is refused without being kept.
  if (source.length > CONDITION_BOUNDS.source) return compileAnew(source, scope);
  // The types say what need not be bounded, so they belong to what was made.
  const key = JSON.stringify([source, scope]);
  let known = made.get(key);
  if (!known) made.set(key, (known = compileAnew(source, scope)));
  return known;
}

function compileAnew(source: string, scope: ConditionScope): CompiledCondition | readonly ConditionFault[] {
  const parsed = parseCondition(source);
  if (!('expression' in parsed)) return [parsed];
  const { faults, types } = checkCondition(parsed, inputOf(scope));
  if (faults.length > 0) return faults;
  const looksAt = pathsOf(parsed.expression);
  // A table is named, so that what a condition hangs on is known before any request.
  if (looksAt.some((path) => path.length === 1 && path[0] === 'resource'))
    return [{ at: Math.max(0, source.search(/\bresource\b/)), length: 'resource'.length, says: 'name the table, as in resource.lockouts' }];
  return compileParsed(parsed, types);
}

/** An expression ready to run within bounds: its value, or the error that it came to. */
export function planBounded(expression: Expression, types: Parameters<typeof boundExpression>[1]): (variables: Readonly<Record<string, unknown>>) => unknown {
  const run = plan(environment, boundExpression(expression, types));
  return (variables) => {
    beginSteps();
    const value = run(variables as Parameters<typeof run>[0]);
    return stepsRanOut() ? new Error('it takes more steps than a condition may') : value;
  };
}

function compileParsed(parsed: ParsedCondition, types: Parameters<typeof boundExpression>[1]): CompiledCondition {
  const { source, expression, placeOf } = parsed;
  const planned = (part: Expression) => planBounded(part, types);
  const whole = planned(expression);
  const plainly = plainlyTrue(expression);
  let cut: ReturnType<CompiledCondition['parts']> | null = null;
  const parts = () => (cut ??= partsOf(parsed).map(({ expression: own, ...part }) => ({ part, run: planned(own) })));
  const failing: Evaluate = (variables) => {
    const first = parts().find(({ run }) => run(variables) === false) ?? parts()[0];
    return { kind: 'not-met', part: first ? first.part : { source, at: 0, looksAt: [] } };
  };
  return {
    source,
    looksAt: pathsOf(expression),
    parts,
    plainly,
    evaluate: (variables) => {
      if (plainly?.(variables, lookAtVariables)) return MET;
      const value = whole(variables);
      if (value === true) return MET;
      if (value === false) return failing(variables);
      if (isCelError(value)) return { kind: 'error', at: value.exprId === undefined ? 0 : placeOf(value.exprId), says: value.message };
      return { kind: 'error', at: 0, says: value instanceof Error ? value.message : 'it says neither true nor false' };
    },
  };
}

/** The parts that `&&` joins, in the order of the text, each with the text that it spans. */
function partsOf(parsed: ParsedCondition): (ConditionPart & { readonly expression: Expression })[] {
  const { source, expression } = parsed;
  const joined: Expression[] = [];
  const collect = (of: Expression): void => {
    const { exprKind } = of;
    if (exprKind.case === 'callExpr' && exprKind.value.function === '_&&_') exprKind.value.args.forEach(collect);
    else joined.push(of);
  };
  collect(expression);
  const texts = cutAtAnd(source);
  return joined.map((part, index) => {
    // Where brackets hide how the text is joined, the whole stands for its parts.
    const text = texts.length === joined.length ? texts[index] : undefined;
    return { expression: part, source: text?.source ?? source.trim(), at: text?.at ?? 0, looksAt: pathsOf(part) };
  });
}
