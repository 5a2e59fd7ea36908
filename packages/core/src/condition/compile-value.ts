import { isCelError, isCelList, isCelMap } from '@bufbuild/cel';
import { isRecord } from '../util/json-pointer.js';
import { checkExpression } from './check-condition.js';
import { planBounded } from './compile-condition.js';
import type { ConditionFault } from './condition-fault.js';
import { inputOf, type ConditionScope } from './condition-input.js';
import { pathsOf, type MemberPath } from './member-paths.js';
import { parseCondition } from './parse-condition.js';

/** An expression whose value is sent somewhere. */
export interface CompiledValue {
  readonly looksAt: readonly MemberPath[];
  /** The value as JSON has it. @throws Error for what comes to no value */
  readonly evaluate: (variables: Readonly<Record<string, unknown>>) => unknown;
}

/** Makes an expression of any type ready; what is wrong with it is said, with its place. */
export function compileValue(source: string, scope: ConditionScope): CompiledValue | readonly ConditionFault[] {
  const parsed = parseCondition(source);
  if (!('expression' in parsed)) return [parsed];
  const { faults, types } = checkExpression(parsed, inputOf(scope));
  if (faults.length > 0) return faults;
  const looksAt = pathsOf(parsed.expression);
  if (looksAt.some((path) => path.length === 1 && path[0] === 'resource'))
    return [{ at: Math.max(0, source.search(/\bresource\b/)), length: 'resource'.length, says: 'name the table, as in resource.lockouts' }];
  const run = planBounded(parsed.expression, types);
  return { looksAt, evaluate: (variables) => jsonOf(run(variables)) };
}

function jsonOf(value: unknown): unknown {
  if (isCelError(value) || value instanceof Error) throw new Error(value.message);
  if (value === null || typeof value === 'string' || typeof value === 'boolean') return value;
  if (typeof value === 'number' && Number.isFinite(value)) return value;
  if (typeof value === 'bigint' && Number.isSafeInteger(Number(value))) return Number(value);
  if (Array.isArray(value)) return value.map(jsonOf);
  if (value instanceof Map) return Object.fromEntries([...(value as Map<string, unknown>)].map(([name, item]) => [name, jsonOf(item)]));
  if (isCelList(value)) return [...value].map(jsonOf);
  if (isCelMap(value)) return Object.fromEntries([...value.entries()].map(([name, item]) => [String(name), jsonOf(item)]));
  const time = timeOf(value);
  if (time !== null) return time;
  throw new Error('it is of a type that JSON has not');
}

/** A time as RFC 3339 has it, of the message that the library makes, wrapped or not; null for anything else. */
function timeOf(value: unknown): string | null {
  const message: unknown = isRecord(value) && isRecord(value['message']) ? value['message'] : value;
  if (!isRecord(message) || message['$typeName'] !== 'google.protobuf.Timestamp') return null;
  return new Date(Number(message['seconds']) * 1000 + Math.floor(Number(message['nanos']) / 1e6)).toISOString();
}
