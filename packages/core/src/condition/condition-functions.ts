import { BOOL, BYTES, DOUBLE, DURATION, DYN, INT, listOf, mapOf, STRING, TIMESTAMP, TYPE, UINT, type ConditionType } from './condition-type.js';

/** One way to call a function: what stands in front of the dot, where something does, what stands in brackets, what comes out. */
export interface Overload {
  readonly target: ConditionType | null;
  readonly args: readonly ConditionType[];
  readonly result: ConditionType;
}

const call = (args: readonly ConditionType[], result: ConditionType): Overload => ({ target: null, args, result });
const method = (target: ConditionType, args: readonly ConditionType[], result: ConditionType): Overload => ({ target, args, result });
const LIST = listOf(DYN);
const MAP = mapOf(DYN, DYN);

const alike = (types: readonly ConditionType[], result?: ConditionType): Overload[] => types.map((type) => call([type, type], result ?? type));
const NUMBERS = [INT, UINT, DOUBLE] as const;
const mixed = NUMBERS.flatMap((one) => NUMBERS.filter((other) => other !== one).map((other) => call([one, other], BOOL)));
const ORDER = [...alike([...NUMBERS, STRING, BOOL, BYTES, TIMESTAMP, DURATION], BOOL), ...mixed];

/** Operators by the names that the syntax tree calls them. */
export const OPERATORS: Readonly<Record<string, { readonly sign: string; readonly overloads: readonly Overload[] }>> = {
  '_&&_': { sign: '&&', overloads: [call([BOOL, BOOL], BOOL)] },
  '_||_': { sign: '||', overloads: [call([BOOL, BOOL], BOOL)] },
  '!_': { sign: '!', overloads: [call([BOOL], BOOL)] },
  '-_': { sign: '-', overloads: [call([INT], INT), call([DOUBLE], DOUBLE), call([DURATION], DURATION)] },
  '_+_': {
    sign: '+',
    overloads: [...alike([...NUMBERS, STRING, BYTES, DURATION]), call([TIMESTAMP, DURATION], TIMESTAMP), call([DURATION, TIMESTAMP], TIMESTAMP)],
  },
  '_-_': { sign: '-', overloads: [...alike([...NUMBERS, DURATION]), call([TIMESTAMP, TIMESTAMP], DURATION), call([TIMESTAMP, DURATION], TIMESTAMP)] },
  '_*_': { sign: '*', overloads: alike(NUMBERS) },
  '_/_': { sign: '/', overloads: alike(NUMBERS) },
  '_%_': { sign: '%', overloads: alike([INT, UINT]) },
  '_<_': { sign: '<', overloads: ORDER },
  '_<=_': { sign: '<=', overloads: ORDER },
  '_>_': { sign: '>', overloads: ORDER },
  '_>=_': { sign: '>=', overloads: ORDER },
};

const text = [method(STRING, [STRING], BOOL)];
const part = (durations: boolean): Overload[] => [
  method(TIMESTAMP, [], INT),
  method(TIMESTAMP, [STRING], INT),
  ...(durations ? [method(DURATION, [], INT)] : []),
];

/** Functions and methods of the language's standard library (Common Expression Language, "List of Standard Definitions"). */
export const FUNCTIONS: Readonly<Record<string, readonly Overload[]>> = Object.assign(Object.create(null) as Record<string, readonly Overload[]>, {
  contains: text,
  startsWith: text,
  endsWith: text,
  matches: [...text, call([STRING, STRING], BOOL)],
  size: [STRING, BYTES, LIST, MAP].flatMap((type) => [call([type], INT), method(type, [], INT)]),
  getFullYear: part(false),
  getMonth: part(false),
  getDate: part(false),
  getDayOfMonth: part(false),
  getDayOfWeek: part(false),
  getDayOfYear: part(false),
  getHours: part(true),
  getMinutes: part(true),
  getSeconds: part(true),
  getMilliseconds: part(true),
  int: [INT, UINT, DOUBLE, STRING, TIMESTAMP].map((type) => call([type], INT)),
  uint: [UINT, INT, DOUBLE, STRING].map((type) => call([type], UINT)),
  double: [DOUBLE, INT, UINT, STRING].map((type) => call([type], DOUBLE)),
  string: [STRING, INT, UINT, DOUBLE, BOOL, BYTES, TIMESTAMP, DURATION].map((type) => call([type], STRING)),
  bool: [BOOL, STRING].map((type) => call([type], BOOL)),
  bytes: [BYTES, STRING].map((type) => call([type], BYTES)),
  timestamp: [TIMESTAMP, STRING, INT].map((type) => call([type], TIMESTAMP)),
  duration: [DURATION, STRING].map((type) => call([type], DURATION)),
  type: [call([DYN], TYPE)],
  dyn: [call([DYN], DYN)],
});

/** Macros (Common Expression Language, "Macros"): they read like methods and are written out by the parser. */
export const MACROS = ['all', 'exists', 'exists_one', 'filter', 'map'] as const;

/** Names of types, which are values too: `type(x) == int`. */
export const TYPE_NAMES: ReadonlySet<string> = new Set(['bool', 'int', 'uint', 'double', 'string', 'bytes', 'list', 'map', 'null_type', 'type']);
