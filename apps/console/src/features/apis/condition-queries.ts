import { queryOptions } from '@tanstack/react-query';
import type { ConditionScopeView, ConditionsView } from '@virga/protocol';
import { api } from '../../client/api';

export const conditionsQuery = queryOptions({ queryKey: ['conditions'], queryFn: () => api.get<ConditionsView>('/conditions') });

/** What conditions of an API can look at, or of some of its operations. */
export const conditionScopeQuery = (apiId: string, operationIds: readonly string[] | null) =>
  queryOptions({
    queryKey: ['conditions', 'scope', apiId, operationIds],
    queryFn: () => api.post<ConditionScopeView>('/conditions/scope', { apiId, operationIds }),
  });
