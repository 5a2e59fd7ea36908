import type { Finding } from '../verdict/codes.js';
import { entryOf, finding } from '../verdict/codes.js';
import type { CompiledRelease, CompiledStep } from './compiled.js';
import type { Exchange } from './exchange.js';
import type { Ports } from './ports.js';
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
  } catch (error) {
    routed = faultOf(release.ports, error, 'route');
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
  return runFrom(exchange, operation.fallLine, 0, release.ports, afterRoute, routed);
}

function runFrom(
  exchange: Exchange,
  steps: readonly CompiledStep[],
  first: number,
  ports: Ports,
  startedAt: number,
  before: Finding,
): Verdict | Promise<Verdict> {
  const { ticks } = ports;
  let at = startedAt;
  let last = before;
  for (let index = first; index < steps.length; index++) {
    const step = steps[index] as CompiledStep;
    let result: Finding | Promise<Finding>;
    try {
      result = step.run(exchange);
    } catch (error) {
      result = faultOf(ports, error, step.step);
    }
    if (result instanceof Promise) {
      const begun = at;
      return result
        .catch((error: unknown) => faultOf(ports, error, step.step))
        .then((found) => {
          const done = record(exchange, step.step, found, begun, ticks());
          return stops(found) ? { kind: 'answer', finding: found } : runFrom(exchange, steps, index + 1, ports, done, found);
        });
    }
    at = record(exchange, step.step, result, at, ticks());
    if (stops(result)) return { kind: 'answer', finding: result };
    last = result;
  }
  return { kind: 'forward', finding: last };
}

function faultOf(ports: Ports, error: unknown, at: string): Finding {
  ports.fault(error, at);
  return finding('gateway.fault', { at });
}

const stops = (found: Finding): boolean => entryOf(found.code).outcome === 'refuse';

function record(exchange: Exchange, step: CompiledStep['step'], found: Finding, from: number, to: number): number {
  exchange.steps.push({ step, finding: found, tookMs: to - from });
  return to;
}
