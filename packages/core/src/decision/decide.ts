import type { Finding } from '../verdict/codes.js';
import { entryOf, finding } from '../verdict/codes.js';
import type { CompiledRelease, CompiledStep } from './compiled.js';
import type { Exchange } from './exchange.js';
import { preflightStep } from './preflight-step.js';
import { routeStep } from './route-step.js';

/** `forward`: every check passed. `answer`: the gateway answers itself, with the finding that decided. */
export interface Verdict {
  readonly kind: 'forward' | 'answer';
  readonly finding: Finding;
}

/**
 * Decides one request by one release. The exchange collects every step taken. Waits only where a step must wait;
 * the common path returns no promise. A fault on the way is a refusal with its own code.
 */
export function decide(release: CompiledRelease, exchange: Exchange): Verdict | Promise<Verdict> {
  const { ticks } = release.ports;
  const start = ticks();
  let routed: Finding;
  try {
    routed = routeStep(release, exchange);
  } catch {
    routed = finding('gateway.fault', { at: 'route' });
  }
  const afterRoute = record(exchange, 'route', routed, start, ticks());
  if (stops(routed)) return { kind: 'answer', finding: routed };
  const { api, operation } = exchange;
  if (!api || !operation) return { kind: 'answer', finding: finding('gateway.fault', { at: 'route' }) };
  if (api.rule.cors) {
    const preflight = preflightStep(api.rule.cors, exchange);
    if (preflight) {
      record(exchange, 'preflight', preflight, afterRoute, ticks());
      return { kind: 'answer', finding: preflight };
    }
  }
  return runFrom(exchange, operation.fallLine, 0, ticks, afterRoute, routed);
}

function runFrom(
  exchange: Exchange,
  steps: readonly CompiledStep[],
  first: number,
  ticks: () => number,
  startedAt: number,
  before: Finding,
): Verdict | Promise<Verdict> {
  let at = startedAt;
  let last = before;
  for (let index = first; index < steps.length; index++) {
    const step = steps[index] as CompiledStep;
    let result: Finding | Promise<Finding>;
    try {
      result = step.run(exchange);
    } catch {
      result = finding('gateway.fault', { at: step.step });
    }
    if (result instanceof Promise) {
      const begun = at;
      return result
        .catch(() => finding('gateway.fault', { at: step.step }))
        .then((found) => {
          const done = record(exchange, step.step, found, begun, ticks());
          return stops(found) ? { kind: 'answer', finding: found } : runFrom(exchange, steps, index + 1, ticks, done, found);
        });
    }
    at = record(exchange, step.step, result, at, ticks());
    if (stops(result)) return { kind: 'answer', finding: result };
    last = result;
  }
  return { kind: 'forward', finding: last };
}

const stops = (found: Finding): boolean => entryOf(found.code).outcome === 'refuse';

function record(exchange: Exchange, step: CompiledStep['step'], found: Finding, from: number, to: number): number {
  exchange.steps.push({ step, finding: found, tookMs: to - from });
  return to;
}
