import type { CompiledOperation } from '../decision/compiled.js';
import type { TrialOutcome } from './trial.js';

/** What a trial of an operation is called. */
export function nameOf(
  { api, rule }: CompiledOperation,
  tried: string,
): Pick<TrialOutcome, 'name' | 'apiId' | 'operationId' | 'apiName' | 'method' | 'path' | 'tried'> {
  const path = api.basePath + rule.path;
  return { name: `${api.name} ${rule.method} ${path}: ${tried}`, apiId: api.id, operationId: rule.id, apiName: api.name, method: rule.method, path, tried };
}
