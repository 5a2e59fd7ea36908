import { queryOptions } from '@tanstack/react-query';
import type { ProviderList, ProviderView } from '@virga/protocol';
import { api } from '../../client/api';

export const providersQuery = queryOptions({ queryKey: ['providers'], queryFn: () => api.get<ProviderList>('/providers') });
export const providerQuery = (id: string) =>
  queryOptions({ queryKey: ['providers', id], queryFn: () => api.get<ProviderView>(`/providers/${id}`), refetchInterval: 3000 });
