import { entryOf, finding, outcomeOfCode, type Finding } from '../verdict/codes.js';
import type { CompiledRelease, CompiledStep } from './compiled.js';
import type { Exchange } from './exchange.js';
import type { Ports } from './ports.js';
import type { LaterPhase } from './phases.js';
import { preflightStep } from './preflight-step.js';
import { routeStep } from './route-step.js';

/** `forward`: nothing refused. `answer`: the gateway answers itself, with the finding that decided. */
export interface Verdict {
  readonly kind: 'forward' | 'answer';
  readonly finding: Finding;
}

/**
 * Decides one request by one release. The exchange collects every step taken. Waits only where a step must wait;
 * the common path returns no promise. A fault on the way counts as something found wrong, with its own code.
 */
export function decide(release: CompiledRelease, exchange: Exchange): Verdict | Promise<Verdict> {
  const { ticks } = release.ports;
  const stopped = decideFence(release, exchange);
  if (stopped !== null) return stopped;
  const start = ticks();
  let routed: Finding;
  try {
    routed = routeStep(release, exchange);
  } catch (error) {
    routed = faultOf(release.ports, error, 'route');
  }
  const afterRoute = ticks();
  // What is let through although no operation matches, and only observed, has an operation all the same.
  const watched = exchange.operation !== null && entryOf(routed.code).says === 'fails';
  const taken = exchange.took('route', routed, afterRoute - start, watched ? 'observe' : 'enforce');
  if (taken.outcome === 'refuse') return { kind: 'answer', finding: routed };
  if (watched) exchange.wouldRefuse ??= taken;
  const { api, operation } = exchange;
  if (!api || !operation) return { kind: 'answer', finding: finding('gateway.fault', { at: 'route' }) };
  if (api.rule.cors) {
    const preflight = preflightStep(api.rule.cors, exchange);
    if (preflight) {
      exchange.took('preflight', preflight, ticks() - afterRoute);
      return { kind: 'answer', finding: preflight };
    }
  }
  return runFrom(exchange, operation.fallLine, 0, release.ports, afterRoute, routed);
}

/** What the gateway's own fence says to a request that the gateway answers without deciding; null where it lets it in. */
export function decideFence({ fence, ports }: CompiledRelease, exchange: Exchange): Verdict | null {
  return fence === null ? null : runAtOnce(ports, exchange, fence);
}

/**
 * Decides by the content of the request's body, where the head lets it through: what the contract says of it, and the conditions and
 * authorizers that read it. Waits only where a step must wait. Null where nothing refuses.
 */
export function decideContent(release: CompiledRelease, exchange: Exchange): Verdict | null | Promise<Verdict | null> {
  const steps = exchange.operation?.later['request-content'] ?? null;
  if (steps === null) return null;
  const { ports } = release;
  const before = exchange.steps[exchange.steps.length - 1];
  if (!before) throw new Error('invariant: the head was decided before the body is');
  const verdict = runFrom(exchange, steps, 0, ports, ports.ticks(), before.finding);
  return verdict instanceof Promise ? verdict.then(refusalOf) : refusalOf(verdict);
}

const refusalOf = (verdict: Verdict): Verdict | null => (verdict.kind === 'answer' ? verdict : null);

/**
 * Decides while the request's body comes, once more of it has come than a step bounds: each step once, since several may bound it
 * in different modes. Steps of this phase do not wait.
 * @param before bytes that had come when this was asked last
 */
export function decideBody(release: CompiledRelease, exchange: Exchange, before: number): Verdict | null {
  const steps = exchange.operation?.later['request-body'] ?? null;
  const { body } = exchange;
  // What was said of its length holds, since the parser holds it to that.
  if (steps === null || body === null || body.bytes !== null) return null;
  for (const step of steps) {
    const bound = step.beyond ? step.beyond(exchange) : 0;
    if (bound === null || bound < before || body.seen <= bound) continue;
    const refusal = runAtOnce(release.ports, exchange, step);
    if (refusal !== null) return refusal;
  }
  return null;
}

/**
 * Decides in a later phase: by the answer's head, or its body. Costs one compare where the operation has no step there. Steps of
 * these phases do not wait.
 */
export function decidePhase(release: CompiledRelease, exchange: Exchange, phase: Exclude<LaterPhase, 'request-body' | 'request-content'>): Verdict | null {
  const steps = exchange.operation?.later[phase] ?? null;
  if (steps === null) return null;
  for (const step of steps) {
    const refusal = runAtOnce(release.ports, exchange, step);
    if (refusal !== null) return refusal;
  }
  return null;
}

/** Runs one step that does not wait; null where it does not refuse. */
function runAtOnce(ports: Ports, exchange: Exchange, step: CompiledStep): Verdict | null {
  const at = ports.ticks();
  let found: Finding;
  try {
    const result = step.run(exchange);
    if (result instanceof Promise) throw new Error('invariant: neither the fence nor steps of later phases wait');
    found = result;
  } catch (error) {
    found = faultOf(ports, error, step.step);
  }
  return conclude(exchange, step, found, ports.ticks() - at) ? { kind: 'answer', finding: found } : null;
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
          const done = ticks();
          return conclude(exchange, step, found, done - begun) ? { kind: 'answer', finding: found } : runFrom(exchange, steps, index + 1, ports, done, found);
        });
    }
    // What asks nothing takes no time, and reading the clock would be most of it.
    const outcome = outcomeOfCode(result.code, step.mode);
    const done = outcome === 'skip' ? at : ticks();
    if (conclude(exchange, step, result, done - at, outcome)) return { kind: 'answer', finding: result };
    at = done;
    last = result;
  }
  return { kind: 'forward', finding: last };
}

/**
 * Makes of what a step found what becomes of the request, and writes it down. What an observed step failed to prove stays
 * unproved for every step behind it. @returns whether the request stops here
 */
function conclude(exchange: Exchange, step: CompiledStep, found: Finding, tookMs: number, outcome = outcomeOfCode(found.code, step.mode)): boolean {
  const taken = exchange.took(step.step, found, tookMs, step.mode, outcome);
  if (taken.outcome === 'refuse') return true;
  if (taken.outcome === 'would-refuse') {
    exchange.wouldRefuse ??= taken;
    if (step.about !== null) exchange.unprove(step.about);
  }
  return false;
}

function faultOf(ports: Ports, error: unknown, at: string): Finding {
  ports.fault(error, at);
  return finding('gateway.fault', { at });
}
