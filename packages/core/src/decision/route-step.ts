import { unmatchedRule } from '../document/unmatched-rule.js';
import { methodInstead } from '../route/method-instead.js';
import { readPath } from '../route/read-path.js';
import { finding, type Finding } from '../verdict/codes.js';
import type { CompiledApi, CompiledOperation, CompiledRelease } from './compiled.js';
import type { Exchange } from './exchange.js';
import { isPreflight } from './preflight-step.js';

/**
 * Finds the operation. A preflight is routed as the method that the browser asks about; HEAD follows GET's rules
 * (RFC 9110 section 9.3.2) unless the contract has HEAD itself.
 */
export function routeStep(release: CompiledRelease, exchange: Exchange): Finding {
  const read = readPath(exchange.target);
  if ('code' in read) return read;
  exchange.path = read.path;
  exchange.query = read.query;
  const odd = read.semicolons.length > 0;
  let match = release.router.find(read.segments, exchange.method, odd);
  // Only where the API answers preflights itself does one count as a question about another method; elsewhere it is
  // OPTIONS like any other, and goes nowhere under the rule of GET.
  if (match.kind !== 'found' && match.area?.rule.cors && isPreflight(exchange))
    match = release.router.find(read.segments, exchange.header('access-control-request-method') ?? '', odd);
  if (odd && match.kind !== 'ambiguous') {
    const stray = read.semicolons.find((segment) => match.kind !== 'found' || !match.target.takesMatrix(segment - basesOf(match.area, read.path)));
    if (stray !== undefined) return finding('path.matrix-parameter', { at: stray + 1 });
  }
  exchange.api = match.area;
  if (match.area && !match.area.rule.enabled) return finding('route.api-off', { api: match.area.rule.name });
  const instead = match.kind === 'found' || match.kind === 'no-path' ? methodInstead(read.query, exchange.method) : null;
  if (instead !== null && match.area) return finding('route.method-instead', { method: exchange.method, instead, api: match.area.rule.name });
  switch (match.kind) {
    case 'found':
      exchange.operation = match.target;
      exchange.below = read.path.slice(match.area.baseLength) || '/';
      exchange.parameters = match.parameters;
      return finding('route.matched', {
        api: match.area.rule.name,
        operation: match.target.label,
        parameters: match.target.parameterNames.map((name, index) => `${name} = ${match.parameters[index] ?? ''}`),
      });
    case 'ambiguous':
      return finding('path.ambiguous', { segment: read.path, reserved: labelOf(match.other, match.area), found: labelOf(match.target, match.area) });
    case 'no-method':
      exchange.allowedMethods = match.methods;
      return finding('route.method-not-allowed', { method: exchange.method, allowed: match.methods, api: match.area.rule.name });
    case 'no-area':
      return finding('route.no-api', { path: read.path });
    case 'no-path':
      return unmatched(exchange, match.area, read.path, match.readAs);
  }
}

/**
 * A path that no operation matches, nor would for a more lenient reader. What the API lets through is decided by its own rules; where
 * it only observes, what was found stays a failure.
 */
function unmatched(exchange: Exchange, api: CompiledApi, path: string, readAs: () => CompiledOperation | null): Finding {
  const below = path.slice(api.baseLength) || '/';
  const rule = unmatchedRule(api.rule.unmatched, below);
  const found = finding('route.no-operation', { api: api.rule.name, path });
  const operation = rule && api.unmatched[api.rule.unmatched.indexOf(rule)];
  if (!rule || !operation) return found;
  // What is let through is held against every operation that the upstream could take the path for.
  const other = readAs();
  if (other) return finding('path.ambiguous', { segment: path, reserved: labelOf(other, api), found: `paths below ${rule.prefix}` });
  exchange.operation = operation;
  exchange.below = below;
  return rule.mode === 'observe' ? found : finding('route.let-through', { api: api.rule.name, path, prefix: rule.prefix });
}

/** How many segments of a path are the base of its API. */
const basesOf = (api: CompiledApi, path: string): number => path.slice(0, api.baseLength).split('/').length - 1;

/** An operation by its method and path, with its API where that is not the one at hand. */
const labelOf = (operation: CompiledOperation, api: CompiledApi): string =>
  operation.api === api.rule ? operation.label : `${operation.label} of ${operation.api.name}`;
