import { queryOptions } from '@tanstack/react-query';
import type { AttentionView, FallView } from '@virga/protocol';
import { api } from '../../client/api';

export const fallQuery = (minutes: number) =>
  queryOptions({
    queryKey: ['overlook', 'fall', minutes],
    queryFn: () => api.get<FallView>(`/overlook/fall?minutes=${minutes}`),
    refetchInterval: 5000,
    placeholderData: (before: FallView | undefined) => before,
  });
export const attentionQuery = queryOptions({
  queryKey: ['overlook', 'attention'],
  queryFn: () => api.get<AttentionView>('/overlook/attention'),
  refetchInterval: 5000,
});
