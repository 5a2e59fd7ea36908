import { joinMembers, joinParameters, type ConditionScope } from '@virga/core';
import { useQueries, type UseQueryResult } from '@tanstack/react-query';
import type { AuthorizerUse, ConditionScopeView } from '@virga/protocol';
import { conditionScopeQuery } from '../apis/condition-queries';

type Named = Pick<ConditionScope, 'bodyMembers' | 'contractParameters'>;

const combine = (answers: readonly UseQueryResult<ConditionScopeView>[]): Named => ({
  bodyMembers: joinMembers(answers.flatMap(({ data }) => data?.bodyMembers ?? [])),
  // What is not known of one is not known.
  contractParameters: answers.every(({ data }) => data?.contractParameters)
    ? joinParameters(answers.flatMap(({ data }) => data?.contractParameters ?? []))
    : null,
});

/** What contracts name in requests of the rules that call an authorizer. */
export function useNamed(uses: readonly AuthorizerUse[]): Named {
  const queries = [...new Set(uses.map(({ apiId }) => apiId))].map((id) => {
    const own = uses.filter(({ apiId }) => apiId === id);
    const ids = own.flatMap(({ operationId }) => operationId ?? []);
    return conditionScopeQuery(id, ids.length === own.length ? ids : null);
  });
  return useQueries({ queries, combine });
}
