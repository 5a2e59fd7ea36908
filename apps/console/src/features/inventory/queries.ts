import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import type { InventoryView, LearnedView, ReviewInput, ReviewView } from '@virga/protocol';
import { api, withQuery } from '../../client/api';

export const inventoryQuery = queryOptions({
  queryKey: ['inventory'],
  queryFn: () => api.get<InventoryView>('/inventory'),
  refetchInterval: 5000,
});

export const learnedQuery = (apiId: string, key: string) =>
  queryOptions({
    queryKey: ['apis', apiId, 'learned', key],
    queryFn: () => api.get<LearnedView>(withQuery(`/apis/${apiId}/learned/operation`, { key })),
  });

/** The contract as it would be; asked anew with every change of what is taken. */
export const reviewQuery = (apiId: string, input: ReviewInput) =>
  queryOptions({
    queryKey: ['apis', apiId, 'review', input],
    queryFn: () => api.post<ReviewView>(`/apis/${apiId}/learned/review`, input),
    placeholderData: keepPreviousData,
    retry: false,
  });
