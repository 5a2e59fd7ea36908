import type { Expression } from './parse-condition.js';

/** How what is decided about is looked at: a member of a variable, or with null the variable itself; undefined for what is not there. */
export type Look<Subject> = (subject: Subject, variable: string, member: string | null) => unknown;
type Read = <Subject>(subject: Subject, look: Look<Subject>) => unknown;
export type Holds = <Subject>(subject: Subject, look: Look<Subject>) => boolean;

/** Looks at variables that were made. */
export const lookAtVariables: Look<Readonly<Record<string, unknown>>> = (variables, variable, member) =>
  member === null ? variables[variable] : memberOf(variables[variable], member);

/** Longer lists are gone through by the language, which counts their items as steps. */
const LONGEST = 1000;

/**
 * Says without the language what plainly holds: equal texts, a text in a list or a table, joined by `&&` and `||`. True means that the
 * language says true of the same variables; false means nothing, and the language decides, with its errors and reasons. What most
 * conditions ask of most requests is so much that evaluating it takes as long as the rest of the decision.
 * @returns null for an expression that has anything else in it
 */
export function plainlyTrue({ exprKind }: Expression): Holds | null {
  if (exprKind.case === 'constExpr') return exprKind.value.constantKind.case === 'boolValue' && exprKind.value.constantKind.value ? () => true : null;
  if (exprKind.case !== 'callExpr') return null;
  const { function: name, args } = exprKind.value;
  const [first, second] = args;
  if (!first || !second) return null;
  if (name === '_&&_' || name === '_||_') return joinedBy(name, args);
  const [one, other] = [reading(first), reading(second)];
  if (!one || !other) return null;
  switch (name) {
    case '_==_':
      return (subject, look) => {
        const value = one(subject, look);
        return typeof value === 'string' && value === other(subject, look);
      };
    case '_!=_':
      return (subject, look) => {
        const [value, beside] = [one(subject, look), other(subject, look)];
        return typeof value === 'string' && typeof beside === 'string' && value !== beside;
      };
    case '@in':
      return (subject, look) => isIn(one(subject, look), other(subject, look));
    default:
      return null;
  }
}

function joinedBy(name: '_&&_' | '_||_', args: readonly Expression[]): Holds | null {
  const parts: Holds[] = [];
  for (const arg of args) {
    const part = plainlyTrue(arg);
    if (part === null) return null;
    parts.push(part);
  }
  // An error beside what is true is none for `||` (Common Expression Language, language definition, "Logical Operators").
  if (name === '_||_') return (subject, look) => parts.some((part) => part(subject, look));
  return (subject, look) => {
    for (const part of parts) if (!part(subject, look)) return false;
    return true;
  };
}

function isIn(value: unknown, of: unknown): boolean {
  if (typeof value !== 'string') return false;
  if (Array.isArray(of)) return of.length <= LONGEST && of.includes(value);
  return of instanceof Map && of.get(value) !== undefined;
}

/** A text that is written, or a member of the variables; what is not there is undefined. Null for anything that has to be worked out. */
function reading({ exprKind }: Expression): Read | null {
  switch (exprKind.case) {
    case 'constExpr': {
      const { constantKind } = exprKind.value;
      return constantKind.case === 'stringValue' ? () => constantKind.value : null;
    }
    case 'listExpr': {
      const items = exprKind.value.elements.map(({ exprKind: item }) =>
        item.case === 'constExpr' && item.value.constantKind.case === 'stringValue' ? item.value.constantKind.value : null,
      );
      return items.includes(null) || exprKind.value.optionalIndices.length > 0 ? null : () => items;
    }
    case 'identExpr': {
      const { name } = exprKind.value;
      return (subject, look) => look(subject, name, null);
    }
    case 'selectExpr': {
      const { operand, field, testOnly } = exprKind.value;
      if (!operand || testOnly) return null;
      if (operand.exprKind.case === 'identExpr') {
        const variable = operand.exprKind.value.name;
        return (subject, look) => look(subject, variable, field);
      }
      const of = reading(operand);
      return of && ((subject, look) => memberOf(of(subject, look), field));
    }
    case 'callExpr': {
      const [operand, key] = exprKind.value.args;
      if (exprKind.value.function !== '_[_]' || !operand || !key) return null;
      const [of, by] = [reading(operand), reading(key)];
      return of && by && ((subject, look) => memberOf(of(subject, look), by(subject, look)));
    }
    default:
      return null;
  }
}

const memberOf = (of: unknown, name: unknown): unknown => (of instanceof Map && typeof name === 'string' ? (of as Map<string, unknown>).get(name) : undefined);
