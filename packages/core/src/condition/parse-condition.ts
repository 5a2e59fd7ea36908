import { parse } from '@bufbuild/cel';
import { CONDITION_BOUNDS } from '../document/condition-rule.js';
import { wordLength, type ConditionFault } from './condition-fault.js';
import { findSyntaxFault } from './syntax-fault.js';

/** The syntax tree of a condition, as the library makes it. */
export type Expression = NonNullable<ReturnType<typeof parse>['expr']>;

export interface ParsedCondition {
  readonly source: string;
  readonly expression: Expression;
  /** Where an expression stands: for a call of an operator the operator, else its first word. */
  readonly placeOf: (id: bigint) => number;
}

/** Reads a condition; what is wrong with it is said with its place, never thrown. */
export function parseCondition(source: string): ParsedCondition | ConditionFault {
  const { source: most } = CONDITION_BOUNDS;
  if (source.trim() === '') return { at: 0, length: 0, says: 'a condition says something; this is empty' };
  if (source.length > most) return { at: most, length: source.length - most, says: `a condition has at most ${most} characters` };
  try {
    // A comment ends with its line, which the last one of a text may not do.
    const { expr, sourceInfo } = parse(`${source}\n`);
    if (!expr) return { at: 0, length: 0, says: 'a condition says something; this is empty' };
    const places = sourceInfo?.positions ?? {};
    return { source, expression: expr, placeOf: (id) => afterBlanks(source, Number(places[String(id)] ?? 0)) };
  } catch (error) {
    return findSyntaxFault(source) ?? faultOf(source, error);
  }
}

const afterBlanks = (source: string, at: number): number => at + (source.slice(at).length - source.slice(at).trimStart().length);

function faultOf(source: string, error: unknown): ConditionFault {
  if (error instanceof RangeError) return { at: 0, length: source.length, says: 'brackets stand too deep in one another' };
  const at = Math.min((error as { location?: { start?: { offset?: number } } }).location?.start?.offset ?? 0, source.length);
  const word = source.slice(at, at + wordLength(source, at));
  return { at, length: word.length, says: word === '' ? 'the condition ends too early' : `${word} cannot stand here` };
}
