import { operationKey, type ApiRule, type ConfigError, type OperationRule, AS_ITS_API } from '@virga/core';
import { fieldProblem, problem } from '../../http/problems.js';
import type { ContractResult } from '../contract/contract-result.js';

/** Operations of a description, with the ids and the hand-made rules of those they replace. */
export function operationsOf(result: ContractResult, before: readonly OperationRule[]): OperationRule[] {
  const old = new Map(before.map((operation) => [operationKey(operation), operation]));
  return result.operations.map(({ method, path, operationId, summary, access }) => {
    const earlier = old.get(operationKey({ method, path }));
    const kept = earlier?.access?.origin === 'hand' ? earlier.access : access;
    return {
      ...AS_ITS_API,
      ...earlier,
      id: earlier?.id ?? `${method} ${path}`,
      method,
      path,
      operationId,
      summary,
      access: kept,
    };
  });
}

export function schemesUsed(api: ApiRule): string[] {
  return [api.access, ...api.operations.map((operation) => operation.access)].flatMap((rule) =>
    rule?.kind === 'required' ? rule.alternatives.flat().map((item) => item.scheme) : [],
  );
}

export const definedOf = <T extends object>(value: T): Partial<T> =>
  Object.fromEntries(Object.entries(value).filter(([, member]) => member !== undefined)) as Partial<T>;

export const slug = (name: string, instead = 'api'): string =>
  name
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '')
    .slice(0, 60) || instead;

/** A mistake in an API that is brought in, at the field of the request that it comes from. */
export function importProblem(error: ConfigError, api: ApiRule): Error {
  if (error.pointer === '/basePath') return fieldProblem('/basePath', error.message);
  if (error.pointer.startsWith('/upstream')) return fieldProblem('/upstreamUrl', error.message);
  const position = /^\/operations\/(\d+)/.exec(error.pointer)?.[1];
  const operation = position === undefined ? undefined : api.operations[Number(position)];
  return fieldProblem('/source', operation ? `${operation.method} ${operation.path}: ${error.message}` : error.message);
}

export function unusable(result: ContractResult): Error {
  const errors = result.problems.slice(0, 50).map((item) => ({
    pointer: '/source',
    detail: `${item.line === null ? '' : `line ${item.line}: `}${item.message}${item.pointer ? ` (${item.pointer})` : ''}`,
  }));
  return problem(422, 'The description cannot be used', errors[0]?.detail ?? 'It has no operations.', errors);
}
