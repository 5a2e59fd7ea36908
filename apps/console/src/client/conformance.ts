import { queryOptions } from '@tanstack/react-query';
import type { ContractStandingList } from '@virga/protocol';
import { api } from './api';

/** What of each contract is checked, and how often it was kept. */
export const conformanceQuery = queryOptions({
  queryKey: ['conformance'],
  queryFn: () => api.get<ContractStandingList>('/conformance'),
  refetchInterval: 5000,
});
