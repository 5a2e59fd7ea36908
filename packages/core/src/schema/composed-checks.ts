import { kindOf, mergeEvaluated, nothingEvaluated, type Check, type Run } from './run.js';

/** Allows anything. */
export const ALLOWED: Check = () => true;

/** A check that allows nothing. */
export function refusal(rule: string, keyword: string, wanted: string): Check {
  return (value, run) => {
    run.report(rule, keyword, wanted, kindOf(value));
    return false;
  };
}

/** All checks of one schema. While only the verdict is wanted the first failure ends it. */
export function allOf(checks: readonly Check[]): Check {
  const [first = ALLOWED, second, third] = checks;
  if (second === undefined) return first;
  return third === undefined ? both(first, second) : every(checks);
}

// Each has a scope of its own, so that it keeps no more than it runs.
const both =
  (first: Check, second: Check): Check =>
  (value, run) => {
    const ok = first(value, run);
    return ok || run.sink !== null ? second(value, run) && ok : false;
  };

const every =
  (checks: readonly Check[]): Check =>
  (value, run) => {
    let ok = true;
    for (let index = 0; index < checks.length; index++) {
      if ((checks[index] as Check)(value, run)) continue;
      ok = false;
      if (run.sink === null) break;
    }
    return ok;
  };

/** Two checks, the second only where the first holds. */
export const inTurn =
  (first: Check, second: Check): Check =>
  (value, run) =>
    first(value, run) && second(value, run);

/** A schema that is a root of its own, for references that ask for the outermost one. */
export function entered(all: Check, root: string): Check {
  return (value, run) => {
    run.scope.push(root);
    const ok = all(value, run);
    run.scope.pop();
    return ok;
  };
}

/** Runs the checks of a schema that asks what is left over, with a collection of its own. */
export function collecting(all: Check): Check {
  return (value, run) => {
    const outer = run.evaluated;
    const own = (run.evaluated = nothingEvaluated());
    const ok = all(value, run);
    run.evaluated = outer;
    if (ok && outer !== null) mergeEvaluated(outer, own);
    return ok;
  };
}

/** Allows only what one of the schemas of a value has looked at. */
export function closed(check: Check, at: string): Check {
  return (value, run) => {
    if (typeof value !== 'object' || value === null) return check(value, run);
    const before = run.evaluated;
    const seen = (run.evaluated = nothingEvaluated());
    let ok = check(value, run);
    run.evaluated = before;
    if (!ok && run.sink === null) return false;
    const { names, items, upTo } = seen;
    if (Array.isArray(value)) {
      if (items === true || !ok) return ok;
      for (let index = upTo; index < value.length; index++) if (!items.has(index)) return left(run, at, 'unevaluatedItems', `no item ${index}`, value);
      return true;
    }
    if (names === true) return ok;
    for (const name of Object.keys(value)) {
      if (names.has(name)) continue;
      left(run, at, 'unknown', `no member “${name.slice(0, 60)}”`, value, name);
      ok = false;
      if (run.sink === null) return false;
    }
    return ok;
  };
}

function left(run: Run, at: string, keyword: string, wanted: string, value: unknown, member: string | null = null): false {
  run.report(at, keyword, wanted, kindOf(value), member);
  return false;
}
