import { celFunc, CelScalar, isCelList, isCelMap, type CelFunc, type CelValue } from '@bufbuild/cel';
import { CONDITION_BOUNDS } from '../document/condition-rule.js';
import type { ConditionType } from './condition-type.js';
import type { Expression } from './parse-condition.js';

type Kind = Expression['exprKind'];
type Call = Extract<Kind, { readonly case: 'callExpr' }>['value'];

// Evaluation never waits, so one count at a time is enough.
let left = 0;

/** Gives the evaluation that begins now its steps. */
export function beginSteps(): void {
  left = CONDITION_BOUNDS.steps;
}

/** Whether the evaluation that has ended wanted more than its steps, whatever it made of that. */
export const stepsRanOut = (): boolean => left < 0;

const spend = (steps: number): void => {
  left -= steps;
  if (left < 0) throw new Error(`it takes more than ${CONDITION_BOUNDS.steps} steps`);
};

/** How many steps a value costs that is looked through: its items, and those within; 64 characters or bytes count as one. */
function weigh(value: CelValue): void {
  if (typeof value === 'string' || value instanceof Uint8Array) spend(value.length >> 6);
  else if (isCelList(value)) {
    spend(1);
    for (const item of value) {
      spend(1);
      weigh(item);
    }
  } else if (isCelMap(value)) {
    spend(1);
    for (const item of value.values()) {
      spend(1);
      weigh(item);
    }
  }
}

function holdSize(value: CelValue): void {
  const size = typeof value === 'string' || value instanceof Uint8Array ? value.length : isCelList(value) ? value.size : 0;
  if (size > CONDITION_BOUNDS.made) throw new Error(`it makes a value of more than ${CONDITION_BOUNDS.made} characters or items`);
}

const { DYN } = CelScalar;
const STEP = '@virga_step';
const WEIGH = '@virga_weigh';
const HOLD = '@virga_hold';

const through = (name: string, look: (value: CelValue) => void): CelFunc =>
  celFunc(name, [DYN], DYN, (value) => {
    look(value);
    return value;
  });

/** What bounded expressions call. No source can: none of these is a name. */
export const BOUNDING_FUNCTIONS: readonly CelFunc[] = [through(STEP, () => spend(1)), through(WEIGH, weigh), through(HOLD, holdSize)];

/** Costs no more than the length of the source allows, whatever its value is. */
const CHEAP: ReadonlySet<ConditionType['kind']> = new Set(['bool', 'int', 'uint', 'double', 'null', 'timestamp', 'duration', 'type']);

/**
 * Rewrites an expression so that no evaluation takes more steps, or makes longer values, than are allowed: each turn of a
 * macro is a step, comparing costs what is compared, and what is put together is held to a size. The language itself has no
 * endless loops, but macros within macros multiply.
 * @param types of all expressions, by id
 */
export function boundExpression(expression: Expression, types: ReadonlyMap<bigint, ConditionType>): Expression {
  const wrap = (name: string, inner: Expression): Expression => {
    const value = { function: name, args: [inner] } as unknown as Call;
    return { ...inner, exprKind: { case: 'callExpr', value } };
  };
  const kindOf = ({ id }: Expression): ConditionType['kind'] => types.get(id)?.kind ?? 'dyn';
  const isWritten = ({ exprKind }: Expression): boolean => exprKind.case === 'constExpr';

  const rewrite = (of: Expression, inMacro: boolean): Expression => {
    const deeper = <T extends Expression | undefined>(inner: T, within = inMacro): T => (inner === undefined ? inner : (rewrite(inner, within) as T));
    const { exprKind } = of;
    switch (exprKind.case) {
      case 'selectExpr':
        return { ...of, exprKind: { ...exprKind, value: { ...exprKind.value, operand: deeper(exprKind.value.operand) } as typeof exprKind.value } };
      case 'listExpr':
        return { ...of, exprKind: { ...exprKind, value: { ...exprKind.value, elements: exprKind.value.elements.map((item) => deeper(item)) } } };
      case 'structExpr': {
        const entries = exprKind.value.entries.map((entry) => ({
          ...entry,
          ...(entry.keyKind.case === 'mapKey' ? { keyKind: { ...entry.keyKind, value: deeper(entry.keyKind.value) } } : {}),
          ...(entry.value ? { value: deeper(entry.value) } : {}),
        }));
        return { ...of, exprKind: { ...exprKind, value: { ...exprKind.value, entries } as typeof exprKind.value } };
      }
      case 'comprehensionExpr': {
        const { iterRange, accuInit, loopCondition, loopStep, result } = exprKind.value;
        const value = {
          ...exprKind.value,
          iterRange: deeper(iterRange),
          accuInit: deeper(accuInit),
          loopCondition: loopCondition && wrap(STEP, deeper(loopCondition, true)),
          loopStep: deeper(loopStep, true),
          result: deeper(result),
        };
        return { ...of, exprKind: { ...exprKind, value: value as typeof exprKind.value } };
      }
      case 'callExpr':
        return boundCall(of, exprKind.value, inMacro, deeper);
      default:
        return of;
    }
  };

  function boundCall(of: Expression, call: Call, inMacro: boolean, deeper: <T extends Expression | undefined>(inner: T) => T): Expression {
    const compares = call.function === '_==_' || call.function === '_!=_' || call.function === '@in';
    const held = (inner: Expression): Expression => {
      const kind = kindOf(inner);
      // One text is compared within its own length; within a macro, each time.
      // A key of a map is looked up, never looked for.
      const lookedUp = call.function === '@in' && (kind === 'map' || kind === 'record');
      const cheap = lookedUp || CHEAP.has(kind) || isWritten(inner) || (!inMacro && (!compares || kind === 'string' || kind === 'bytes'));
      return cheap || LAZY.has(call.function) ? deeper(inner) : wrap(WEIGH, deeper(inner));
    };
    const value = { ...call, args: call.args.map(held), ...(call.target ? { target: held(call.target) } : {}) } as Call;
    const bounded: Expression = { ...of, exprKind: { case: 'callExpr', value } };
    return call.function === '_+_' && !CHEAP.has(kindOf(of)) ? wrap(HOLD, bounded) : bounded;
  }
  return rewrite(expression, false);
}

/** Calls that look at no more of what they are given than its truth, one item, or nothing at all. */
const LAZY: ReadonlySet<string> = new Set(['_&&_', '_||_', '!_', '_?_:_', '_[_]', '@not_strictly_false', 'dyn', 'type']);
