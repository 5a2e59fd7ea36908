import { queryOptions } from '@tanstack/react-query';
import type { BenchIssuerView, GrantView, SavedTokenList } from '@virga/protocol';
import { api } from '../../client/api';

export const benchIssuerQuery = queryOptions({ queryKey: ['bench', 'issuer'], queryFn: () => api.get<BenchIssuerView>('/bench/issuer'), staleTime: Infinity });
export const savedTokensQuery = queryOptions({ queryKey: ['bench', 'saved'], queryFn: () => api.get<SavedTokenList>('/bench/saved-tokens') });
export const grantQuery = (id: string) =>
  queryOptions({
    queryKey: ['bench', 'grants', id],
    queryFn: () => api.get<GrantView>(`/bench/grants/${id}`),
    refetchInterval: (query) => (query.state.data?.state === 'waiting' ? 1500 : false),
  });
