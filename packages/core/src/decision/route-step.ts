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
  let match = release.router.find(read.segments, exchange.method);
  // Only where the API answers preflights itself does one count as a question about another method; elsewhere it is
  // OPTIONS like any other, and goes nowhere under the rule of GET.
  if (match.kind !== 'found' && match.area?.rule.cors && isPreflight(exchange))
    match = release.router.find(read.segments, exchange.header('access-control-request-method') ?? '');
  exchange.api = match.area;
  if (match.area && !match.area.rule.enabled) return finding('route.api-off', { api: match.area.rule.name });
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
    case 'no-path':
      return match.area ? finding('route.no-operation', { api: match.area.rule.name, path: read.path }) : finding('route.no-api', { path: read.path });
  }
}

/** An operation by its method and path, with its API where that is not the one at hand. */
const labelOf = (operation: CompiledOperation, api: CompiledApi): string =>
  operation.api === api.rule ? operation.label : `${operation.label} of ${operation.api.name}`;
