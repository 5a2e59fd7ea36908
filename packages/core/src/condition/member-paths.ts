import type { Expression } from './parse-condition.js';

/** What a condition looks at: the names from a variable on, as in `request`, `query`, `season`. */
export type MemberPath = readonly string[];

/** The members that an expression looks at, as paths, each once; variables of macros are left out. */
export function pathsOf(expression: Expression): readonly MemberPath[] {
  const paths = new Map<string, MemberPath>();
  const visit = (of: Expression | undefined, own: ReadonlySet<string>): void => {
    if (!of) return;
    const path = pathOf(of);
    if (path !== null) {
      if (!own.has(path[0] as string)) paths.set(JSON.stringify(path), path);
      return;
    }
    const { exprKind } = of;
    switch (exprKind.case) {
      case 'selectExpr':
        return visit(exprKind.value.operand, own);
      case 'callExpr':
        visit(exprKind.value.target, own);
        return exprKind.value.args.forEach((arg) => visit(arg, own));
      case 'listExpr':
        return exprKind.value.elements.forEach((item) => visit(item, own));
      case 'structExpr':
        return exprKind.value.entries.forEach((entry) => {
          if (entry.keyKind.case === 'mapKey') visit(entry.keyKind.value, own);
          visit(entry.value, own);
        });
      case 'comprehensionExpr': {
        const { iterVar, accuVar, iterRange, accuInit, loopStep, result } = exprKind.value;
        visit(iterRange, own);
        visit(accuInit, own);
        const inner = new Set([...own, iterVar, accuVar]);
        visit(loopStep, inner);
        return visit(result, inner);
      }
      default:
    }
  };
  visit(expression, new Set());
  return [...paths.values()];
}

/** A chain of names or written keys; null for anything else. */
function pathOf({ exprKind }: Expression): MemberPath | null {
  if (exprKind.case === 'identExpr') return [exprKind.value.name];
  if (exprKind.case === 'selectExpr') {
    const operand = exprKind.value.operand ? pathOf(exprKind.value.operand) : null;
    return operand === null ? null : [...operand, exprKind.value.field];
  }
  if (exprKind.case !== 'callExpr' || exprKind.value.function !== '_[_]') return null;
  const [of, by] = exprKind.value.args;
  const key = by?.exprKind.case === 'constExpr' ? by.exprKind.value.constantKind : undefined;
  const operand = of ? pathOf(of) : null;
  return operand === null || key?.case !== 'stringValue' ? null : [...operand, key.value];
}
