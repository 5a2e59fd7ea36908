import type { LimitRule } from '../document/limit-rule.js';
import type { CompiledLimit } from './compile-plan.js';
import type { Measure } from './counters.js';

/**
 * Compiles limits of one place: the gateway, an API or an operation. A count is known by all that it hangs on but the number of
 * requests, so that a limit that is raised goes on counting where it was.
 */
export function compileLimits(rules: readonly LimitRule[], place: string, pointer: string): CompiledLimit[] {
  return rules.map((rule, index) => {
    const { name, by, mode, seconds } = rule;
    const measure = measureOf(rule);
    return {
      name,
      pointer: `${pointer}/${index}`,
      group: `limit ${place} ${name} ${JSON.stringify(by)} ${rule.method} ${seconds}`,
      by,
      measureAt: () => measure,
      mode,
      span: `${seconds} s`,
      windowSeconds: seconds,
      code: 'limit.rate',
    };
  });
}

function measureOf({ method, requests, seconds, burst }: LimitRule): Measure {
  const spanMs = seconds * 1000;
  return method === 'bucket' ? { kind: 'bucket', requests, spanMs, burst: burst ?? requests } : { kind: method, requests, spanMs };
}
