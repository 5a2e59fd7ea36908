import type { Keywords } from './compile-schema.js';
import { kindOf, type Check } from './run.js';
import { allDifferent } from './same-value.js';

const countOf = (value: unknown): number | null => (typeof value === 'number' && value >= 0 && Number.isInteger(value) ? value : null);

/** All that is asked of lists. Null where nothing is. */
export function listCheck(keywords: Keywords): Check | null {
  const { schema, at, dialect, below, fault } = keywords;
  const { minItems, maxItems, uniqueItems } = schema;
  // Before 2020-12 a list of schemas stands in `items`, and what comes behind them in `additionalItems`.
  const listed = dialect.modern ? schema['prefixItems'] : Array.isArray(schema['items']) ? schema['items'] : undefined;
  const listedAt = dialect.modern ? 'prefixItems' : 'items';
  const restAt = listed !== undefined && !dialect.modern ? 'additionalItems' : 'items';
  const rest = schema[restAt] === undefined ? null : below(restAt);
  const first = Array.isArray(listed) ? listed.map((_, index) => below(listedAt, index)) : [];
  const contains = dialect.modern && schema['contains'] !== undefined ? below('contains') : null;
  const leftOver = dialect.modern && schema['unevaluatedItems'] !== undefined ? below('unevaluatedItems') : null;
  const [least, most] = [countOf(minItems), countOf(maxItems)];
  const looks =
    first.length > 0 || rest !== null || contains !== null || leftOver !== null || minItems !== undefined || maxItems !== undefined || uniqueItems === true;
  if (listed !== undefined && !Array.isArray(listed)) return fault(listedAt, 'it is a list of schemas');
  if (uniqueItems !== undefined && typeof uniqueItems !== 'boolean') return fault('uniqueItems', 'it is true or false');
  for (const keyword of ['minContains', 'maxContains'])
    if (dialect.modern && schema[keyword] !== undefined && countOf(schema[keyword]) === null) return fault(keyword, 'it is a whole number from 0');
  if (!looks) return null;
  if (minItems !== undefined && least === null) return fault('minItems', 'it is a whole number from 0');
  if (maxItems !== undefined && most === null) return fault('maxItems', 'it is a whole number from 0');
  const [fewest, mostOf] = [countOf(schema['minContains']) ?? 1, countOf(schema['maxContains']) ?? Infinity];

  const own: Check = (value, run) => {
    if (!Array.isArray(value)) return true;
    const items = value as readonly unknown[];
    const explain = run.sink !== null;
    const { evaluated } = run;
    let ok = true;
    const no = (keyword: string, wanted: string): void => {
      run.report(`${at}/${keyword}`, keyword, wanted, kindOf(value));
      ok = false;
    };
    if (least !== null && items.length < least) no('minItems', `at least ${least} items`);
    if (most !== null && items.length > most) no('maxItems', `at most ${most} items`);
    if (!ok && !explain) return false;
    const upTo = rest === null ? Math.min(first.length, items.length) : items.length;
    for (let index = 0; index < upTo; index++) {
      const check = first[index] ?? rest;
      if (check && !run.inside(check, items[index], index)) {
        ok = false;
        if (!explain) return false;
      }
    }
    if (evaluated !== null) evaluated.upTo = Math.max(evaluated.upTo, upTo);
    if (uniqueItems === true && !allDifferent(items)) no('uniqueItems', 'items that are all different');
    if (contains !== null) {
      let held = 0;
      const before = run.unread;
      for (let index = 0; index < items.length; index++) {
        if (!run.quietly(contains, items[index])) continue;
        held++;
        if (evaluated !== null && evaluated.items !== true) evaluated.items.add(index);
      }
      if (run.unread > before) no('contains', 'a rule that can be read');
      if (held < fewest) no('contains', `at least ${fewest} such items`);
      if (held > mostOf) no('maxContains', `at most ${mostOf} such items`);
    }
    return ok;
  };
  if (leftOver === null) return own;
  const none = schema['unevaluatedItems'] === false;
  return (value, run) => {
    let ok = own(value, run);
    if (!Array.isArray(value) || (!ok && run.sink === null)) return ok;
    const { evaluated } = run;
    if (evaluated === null || evaluated.items === true) return ok;
    for (let index = evaluated.upTo; index < value.length; index++) {
      if (evaluated.items.has(index)) continue;
      if (none) run.report(`${at}/unevaluatedItems`, 'unevaluatedItems', `no item ${index}`, kindOf(value));
      if (none || !run.inside(leftOver, value[index], index)) ok = false;
      if (!ok && run.sink === null) return false;
    }
    evaluated.items = true;
    return ok;
  };
}
