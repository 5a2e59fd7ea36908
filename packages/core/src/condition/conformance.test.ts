import { celList, celMap, celUint, isCelError, isCelList, isCelMap, isCelType, isCelUint } from '@bufbuild/cel';
import type { Value } from '@bufbuild/cel-spec/cel/expr/value_pb.js';
import type { SimpleTest } from '@bufbuild/cel-spec/cel/expr/conformance/test/simple_pb.js';
import { getConformanceSuite, type IncrementalTest, type IncrementalTestSuite } from '@bufbuild/cel-spec/testdata/tests.js';
import { isReflectMessage } from '@bufbuild/protobuf/reflect';
import { anyUnpack, DurationSchema, durationMs, TimestampSchema, timestampMs, type Duration, type Timestamp } from '@bufbuild/protobuf/wkt';
import { checkExpression } from './check-condition.js';
import { planBounded } from './compile-condition.js';
import { DYN, typeName, type MemberType } from './condition-type.js';
import { parseCondition } from './parse-condition.js';

/**
 * The conformance tests of the Common Expression Language (cel-spec v0.25.1, tests/simple, as published in
 * @bufbuild/cel-spec 0.6.1), run as conditions are: parsed, checked, bounded, evaluated. What needs protocol buffer
 * messages is no part of conditions and left out.
 */
const FILES: Readonly<Record<string, { readonly of: number; readonly misses?: readonly string[] }>> = {
  basic: { of: 43 },
  logic: { of: 30 },
  comparisons: { of: 334 },
  string: { of: 51 },
  lists: { of: 39 },
  macros: { of: 44 },
  // Names in backticks are not read by the library; a key that stands twice in two kinds of numbers is not refused.
  fields: {
    of: 60,
    misses: [
      'field_access_slash',
      'field_access_dash',
      'field_access_dot',
      'has_field_slash',
      'has_field_dash',
      'has_field_dot',
      'map_value_repeat_key_heterogeneous',
    ],
  },
  timestamps: { of: 73 },
  conversions: { of: 109 },
  integer_math: { of: 64 },
  fp_math: { of: 30 },
  plumbing: { of: 5 },
  parse: { of: 193 },
};

const testsOf = ({ suites, tests }: IncrementalTestSuite): readonly IncrementalTest[] => [...tests, ...suites.flatMap(testsOf)];

/** A value of the tests as the library takes it; undefined for messages of protocol buffers. */
function given(value: Value): unknown {
  const { kind } = value;
  switch (kind.case) {
    case 'nullValue':
      return null;
    case 'uint64Value':
      return celUint(kind.value);
    case 'listValue': {
      const items = kind.value.values.map(given);
      return items.includes(undefined) ? undefined : celList(items as Parameters<typeof celList>[0]);
    }
    case 'mapValue': {
      const entries = kind.value.entries.map(({ key, value: item }): [unknown, unknown] => [key && given(key), item && given(item)]);
      return entries.some((pair) => pair.includes(undefined)) ? undefined : celMap(new Map(entries) as Parameters<typeof celMap>[0]);
    }
    case 'objectValue':
      return anyUnpack(kind.value, TimestampSchema) ?? anyUnpack(kind.value, DurationSchema);
    case 'typeValue':
      return { type: kind.value };
    case 'enumValue':
      return undefined;
    default:
      return kind.value;
  }
}

/** Any value as text, with its type, so that two can be compared. */
function written(value: unknown): string {
  if (isCelUint(value)) return `${value.value}u`;
  if (typeof value === 'bigint') return `${value}`;
  if (typeof value === 'number') return `double ${Object.is(value, -0) ? '0' : value}`;
  if (value instanceof Uint8Array) return `bytes ${Buffer.from(value).toString('hex')}`;
  if (isCelList(value)) return `[${[...value].map(written).join(', ')}]`;
  if (isCelMap(value))
    return `{${[...value]
      .map(([key, item]) => `${written(key)}: ${written(item)}`)
      .sort()
      .join(', ')}}`;
  if (isCelType(value)) return `type ${value.name}`;
  if (typeof value !== 'object' || value === null) return JSON.stringify(value) ?? 'undefined';
  const message: { $typeName?: string; type?: string } = isReflectMessage(value) ? value.message : value;
  if (message.$typeName === 'google.protobuf.Timestamp') return `timestamp ${timestampMs(message as Timestamp)}`;
  if (message.$typeName === 'google.protobuf.Duration') return `duration ${durationMs(message as Duration)}`;
  if (message.type !== undefined) return `type ${message.type}`;
  return JSON.stringify(value) ?? 'undefined';
}

/** Whether a test is about messages of protocol buffers, or asks for a container of names. */
const isForeign = ({ original }: IncrementalTest): boolean =>
  /TestAllTypes|google\.protobuf|NestedTestAllTypes|\.proto/.test(original.expr) ||
  original.container !== '' ||
  /TestAllTypes|google/.test(JSON.stringify(original.typeEnv));

interface Ran {
  readonly wanted: string;
  readonly found: string;
}

function run(original: SimpleTest): Ran | null {
  const variables: Record<string, unknown> = Object.create(null) as Record<string, unknown>;
  for (const [name, { kind }] of Object.entries(original.bindings)) {
    const value = kind.case === 'value' ? given(kind.value) : undefined;
    if (value === undefined) return null;
    variables[name] = value;
  }
  const { resultMatcher: matcher } = original;
  const expected = matcher.case === 'value' ? given(matcher.value) : matcher.case === undefined ? true : null;
  if (matcher.case !== 'evalError' && ((expected === null && matcher.case !== 'value') || expected === undefined)) return null;
  const wanted = matcher.case === 'evalError' ? 'error' : written(expected);
  const parsed = parseCondition(original.expr);
  if (!('expression' in parsed)) return { wanted, found: `no expression: ${parsed.says}` };
  const input = Object.fromEntries(Object.keys(variables).map((name): [string, MemberType] => [name, { type: DYN, about: '' }]));
  const { types } = checkExpression(parsed, input);
  const value = planBounded(parsed.expression, types)(variables);
  return { wanted, found: isCelError(value) || value instanceof Error ? 'error' : written(value) };
}

const SUITES = new Map(getConformanceSuite().suites.map((suite) => [suite.name, testsOf(suite).filter((one) => !isForeign(one))]));

describe('conditions in the Common Expression Language', () => {
  test.each(Object.entries(FILES))('values of %s', (name, { of, misses = [] }) => {
    const ran = (SUITES.get(name) ?? [])
      .flatMap(({ original }) => ({ name: original.name, ...(run(original) ?? { wanted: '', found: null }) }))
      .filter(({ found }) => found !== null);
    expect(ran.filter(({ wanted, found }) => wanted !== found).map((one) => one.name)).toEqual(misses);
    expect(ran).toHaveLength(of);
  });

  /** What the reference checker (cel-go) says of the same expressions, as the package publishes it. */
  test('types are those of the reference checker', () => {
    const others: string[] = [];
    let compared = 0;
    for (const { original, type } of Object.keys(FILES).flatMap((name) => SUITES.get(name) ?? [])) {
      const parsed = parseCondition(original.expr);
      if (original.disableCheck || type === undefined || Object.keys(original.bindings).length > 0 || !('expression' in parsed)) continue;
      const { type: found, faults } = checkExpression(parsed, {});
      const said = faults.length > 0 ? 'fault' : typeName(found);
      compared++;
      // The type of a type is not followed further here.
      if (said !== type.replace(/^type\(.*\)$/, 'type')) others.push(`${original.expr}: ${said}, not ${type}`);
    }
    expect(others).toEqual([
      // Of an empty list nothing is inferred from how its items are used; of a time that cannot be, the value is judged too.
      '[].filter(n, n % 2 == 0): list(dyn), not list(int)',
      "timestamp('10000-01-01T00:00:00Z'): fault, not timestamp",
    ]);
    expect(compared).toBeGreaterThan(900);
  });
});
