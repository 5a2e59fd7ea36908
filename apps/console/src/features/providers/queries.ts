import { queryOptions } from '@tanstack/react-query';
import type { ProviderComparison, ProviderList, ProviderView, RevocationList } from '@virga/protocol';
import { api } from '../../client/api';

export const providersQuery = queryOptions({ queryKey: ['providers'], queryFn: () => api.get<ProviderList>('/providers') });
export const providerQuery = (id: string) =>
  queryOptions({ queryKey: ['providers', id], queryFn: () => api.get<ProviderView>(`/providers/${id}`), refetchInterval: 3000 });
export const comparisonQuery = (id: string) =>
  queryOptions({
    queryKey: ['providers', id, 'comparison'],
    queryFn: () => api.get<ProviderComparison>(`/providers/${id}/comparison`),
    staleTime: Infinity,
    retry: false,
  });
export const revocationsQuery = queryOptions({ queryKey: ['revocations'], queryFn: () => api.get<RevocationList>('/revocations') });
