import { queryOptions } from '@tanstack/react-query';
import type { ApiList, ApiView, ContractText, OperationList, OperationPage } from '@virga/protocol';
import { api } from '../../client/api';

export const apisQuery = queryOptions({ queryKey: ['apis'], queryFn: () => api.get<ApiList>('/apis') });
export const apiQuery = (id: string) => queryOptions({ queryKey: ['apis', id], queryFn: () => api.get<ApiView>(`/apis/${id}`) });
export const operationsQuery = (id: string) =>
  queryOptions({ queryKey: ['apis', id, 'operations'], queryFn: () => api.get<OperationList>(`/apis/${id}/operations`) });
export const operationQuery = (id: string, operationId: string) =>
  queryOptions({
    queryKey: ['apis', id, 'operations', operationId],
    queryFn: () => api.get<OperationPage>(`/apis/${id}/operations/${encodeURIComponent(operationId)}`),
  });
export const contractQuery = (id: string) =>
  queryOptions({ queryKey: ['apis', id, 'contract'], queryFn: () => api.get<ContractText>(`/apis/${id}/contract`), staleTime: 60_000 });
