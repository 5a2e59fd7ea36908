import { RE2JS } from '@bufbuild/re2';
import { zoneFault } from './zoned-time.js';
import type { Expression } from './parse-condition.js';

type Call = Extract<Expression['exprKind'], { readonly case: 'callExpr' }>['value'];

/** What of a call can be told wrong from the values that are written out: patterns, zones, times and numbers. */
export function faultOfLiteral(call: Call): { readonly at: Expression; readonly says: string } | null {
  const { function: name, target, args } = call;
  if (name === 'matches') return faultOfPattern(target ? args[0] : args[1]);
  if (name.startsWith('get') && args[0]) {
    const zone = writtenText(args[0]);
    const says = zone === null ? null : zoneFault(zone);
    return says === null ? null : { at: args[0], says };
  }
  const [first] = args;
  const text = writtenText(first);
  if (!first || text === null || target) return null;
  const wrong =
    (name === 'timestamp' && !/^\d{4}-\d\d-\d\d[Tt]\d\d:\d\d:\d\d(?:\.\d+)?(?:[Zz]|[+-]\d\d:\d\d)$/.test(text)) ||
    (name === 'timestamp' && Number.isNaN(Date.parse(text)))
      ? 'a time as in RFC 3339, such as 2026-05-01T06:00:00Z'
      : name === 'duration' && !/^[+-]?(?:\d+(?:\.\d*)?(?:h|m|s|ms|us|ns))+$/.test(text) && text !== '0'
        ? 'a length of time, such as 90s or 1h30m'
        : (name === 'int' && !/^[+-]?\d{1,19}$/.test(text)) || (name === 'uint' && !/^\d{1,20}$/.test(text))
          ? 'a whole number'
          : null;
  return wrong === null ? null : { at: first, says: `${JSON.stringify(text)} is not ${wrong}` };
}

/** A pattern is written out, so that it is checked before any request and costs no request its making. */
function faultOfPattern(pattern: Expression | undefined): { readonly at: Expression; readonly says: string } | null {
  if (!pattern) return null;
  const text = writtenText(pattern);
  if (text === null) return { at: pattern, says: 'a pattern is written out, not computed' };
  try {
    RE2JS.compile(text);
    return null;
  } catch (error) {
    return { at: pattern, says: `this is no pattern (RE2): ${(error as Error).message.slice(0, 200)}` };
  }
}

/** A text that is written out; null for anything that is worked out. */
export function writtenText(expression: Expression | undefined): string | null {
  const kind = expression?.exprKind;
  return kind?.case === 'constExpr' && kind.value.constantKind.case === 'stringValue' ? kind.value.constantKind.value : null;
}
